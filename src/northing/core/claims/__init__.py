"""Rules of cases and of what is claimed."""
