"""Actions on webhooks."""
