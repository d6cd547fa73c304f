"""Pages of the step: receiving."""
