"""Pages of the step: access."""
