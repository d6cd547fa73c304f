"""What lies where."""
