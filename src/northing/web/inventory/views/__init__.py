"""Views of the step: inventory."""
