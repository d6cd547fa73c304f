"""Cases and returns."""
