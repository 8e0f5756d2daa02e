"""The trained networks and their weights."""
