"""Pages of the step: worklist."""
