"""Reads of the pages."""
