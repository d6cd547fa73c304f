"""Open matters, whose move each is, and a summary of each order line."""
