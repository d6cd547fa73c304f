"""Pages of the step: payments."""
