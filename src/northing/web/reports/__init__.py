"""Pages of the step: reports."""
