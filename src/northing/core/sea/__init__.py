"""The globe, its land, and ways by water."""
