"""What people do about goods in stock."""
