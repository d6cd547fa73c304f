"""Measuring against the leanest thing one could write."""
