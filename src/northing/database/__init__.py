"""Numeric fields, and writes of many rows in one statement, for every model."""
