"""Rules of the dock."""
