"""Bills and credit notes."""
