"""What people do about webhooks."""
