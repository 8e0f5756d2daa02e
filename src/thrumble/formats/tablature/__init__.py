"""Text tablature, out and in."""
