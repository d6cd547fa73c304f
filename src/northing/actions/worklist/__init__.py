"""Keeps the list of open matters and the line summaries up to date."""
