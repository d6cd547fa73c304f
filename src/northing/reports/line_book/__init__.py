"""The line book: what is asked, which lines fit, and their rows."""
