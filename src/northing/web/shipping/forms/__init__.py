"""Forms."""
