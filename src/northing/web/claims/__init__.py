"""Pages of the step: claims."""
