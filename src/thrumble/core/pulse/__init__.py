"""What the player hears while playing: the click, its times and its sound."""
