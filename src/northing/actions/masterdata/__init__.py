"""The house: its records, its people, its beginning, and remarks."""
