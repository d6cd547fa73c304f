"""Outside services; none are spoken to yet."""
