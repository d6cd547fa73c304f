"""Actions on people, roles and tokens."""
