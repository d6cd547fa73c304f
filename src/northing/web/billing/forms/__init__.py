"""Forms of the step: billing."""
