"""Charges and their shares, customs entries."""
