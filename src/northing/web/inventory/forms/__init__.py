"""Forms of the step: inventory."""
