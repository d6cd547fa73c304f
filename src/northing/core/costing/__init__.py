"""What goods cost: layers, charges, duty, ownership."""
