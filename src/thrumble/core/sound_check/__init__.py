"""The sound check: how well the ear hears one player's own guitar."""
