"""Bodies and answers of the calls, by step."""
