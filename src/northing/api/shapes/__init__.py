"""What calls take and give, by step."""
