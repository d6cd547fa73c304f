"""What people do about claims."""
