"""Actions of the step: payments."""
