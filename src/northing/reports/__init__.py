"""Read-only views over the domains."""
