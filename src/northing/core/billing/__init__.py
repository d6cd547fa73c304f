"""Bills: when they are due."""
