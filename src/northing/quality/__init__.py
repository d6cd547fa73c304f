"""Inspections, cases, return notes."""
