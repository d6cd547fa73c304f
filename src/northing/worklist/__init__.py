"""Covers what is open and whose move it is, and a summary of each order line."""
