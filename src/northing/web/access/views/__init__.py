"""Views."""
