"""MIDI files: riffs to tracks and back, the rhythm of notes that come without one."""
