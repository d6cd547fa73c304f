"""Entries, postings, cost layers and on hand: the books."""
