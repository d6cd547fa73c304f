"""Carriers' Track & Trace feeds."""
