"""Rules of orders, and the sentence that filters lines."""
