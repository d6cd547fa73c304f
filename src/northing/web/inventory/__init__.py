"""Pages of the step: inventory."""
