"""Covers what calls take and give, by step."""
