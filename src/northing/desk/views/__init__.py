"""Views of the desk, one module for each place of the rail."""
