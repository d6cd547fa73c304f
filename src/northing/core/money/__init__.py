"""Money, exact numbers and shares."""
