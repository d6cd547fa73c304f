"""Whose move it is."""
