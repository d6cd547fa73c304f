"""What people do about customs entries."""
