"""Chord names and shapes, below riff and neck: names to intervals, intervals laid on strings, and
notes back to their name.
"""
