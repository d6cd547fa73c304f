"""Northing: where every ordered unit is, whose move it is, and what it costs."""
