"""Customs entries."""
