"""What people do about people, roles and tokens."""
