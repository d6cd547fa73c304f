"""Customs."""
