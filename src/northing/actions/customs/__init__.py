"""Actions on customs entries."""
