"""Covers what lies where."""
