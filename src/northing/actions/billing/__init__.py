"""Actions of the step: billing."""
