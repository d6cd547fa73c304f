"""Pages of the step: billing."""
