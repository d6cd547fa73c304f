"""Pages of the step: costing."""
