"""The cost of goods: layers, charges, duty, ownership."""
