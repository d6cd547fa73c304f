"""Pages of the step: masterdata."""
