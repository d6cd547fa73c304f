"""Northing: where every ordered unit is, whose move it is, and what it costs."""

# The only place of the version; CHANGELOG's first heading, the API's document and the foot of each page say it too.
__version__ = "1.0.1"
