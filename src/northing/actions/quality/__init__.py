"""What people do about inspections."""
