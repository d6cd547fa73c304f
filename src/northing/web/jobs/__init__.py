"""Pages of the step: jobs."""
