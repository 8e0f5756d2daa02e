"""What can be said of each hit, and of the take as a whole."""
