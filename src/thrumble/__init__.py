"""Thrumble: the practice bench of a rock rhythm guitarist."""
