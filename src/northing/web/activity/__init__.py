"""Pages of the step: activity."""
