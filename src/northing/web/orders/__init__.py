"""Pages of the step: orders."""
