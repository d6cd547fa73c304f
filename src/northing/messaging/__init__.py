"""Mail and webhooks."""
