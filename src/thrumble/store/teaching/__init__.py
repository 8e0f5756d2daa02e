"""Lessons: pupils who let teachers in, assignments, comments."""
