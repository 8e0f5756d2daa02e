"""Lessons: one's teachers, one's pupils, and what is said of takes."""
