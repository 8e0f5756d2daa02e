"""Where strokes and clicks are, where the riff lies in the take, and which stroke is which hit."""
