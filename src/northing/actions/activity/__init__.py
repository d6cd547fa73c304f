"""Actions on remarks and documents."""
