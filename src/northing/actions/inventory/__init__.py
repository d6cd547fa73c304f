"""Actions on goods in stock."""
