"""Payments and advances: what was paid, for what, and which goods it is reserved for."""
