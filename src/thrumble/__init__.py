"""Thrumble: the practice bench of a rock rhythm guitarist."""

__version__ = "0.1.0"
