"""Inspection of lots."""
