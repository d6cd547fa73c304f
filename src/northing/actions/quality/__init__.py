"""Actions on inspections."""
