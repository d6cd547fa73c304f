"""Pages of the step: messaging."""
