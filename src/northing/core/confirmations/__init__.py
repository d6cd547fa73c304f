"""Rules of what suppliers answer."""
