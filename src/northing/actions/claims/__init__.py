"""Actions on claims."""
