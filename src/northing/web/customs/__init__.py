"""Pages of the step: customs."""
