"""Pages of the step: quality."""
