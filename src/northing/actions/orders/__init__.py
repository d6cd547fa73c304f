"""Order: write, check, approve, send, change, stop; by hand and by file."""
