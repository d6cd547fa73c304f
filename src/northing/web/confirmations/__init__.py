"""Pages of the step: confirmations."""
