"""MusicXML: what a score holds, and riffs to scores and back."""
