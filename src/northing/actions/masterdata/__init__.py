"""The house: its records, its people, its beginning, and what is said of anything."""
