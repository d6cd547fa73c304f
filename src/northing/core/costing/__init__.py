"""Covers what goods cost: layers, charges, duty, ownership."""
