"""Stock: goods by bin."""
