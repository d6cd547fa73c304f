"""Work of more than a second, done by the worker."""
