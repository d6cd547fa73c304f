"""Scenarios: a small world and actions in it from a file, played through the very functions that pages call."""
