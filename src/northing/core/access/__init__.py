"""Rules of sign-in."""
