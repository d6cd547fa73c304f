"""Pages of the step: shipping."""
