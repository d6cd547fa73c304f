"""What people do about remarks and documents."""
