"""Shipments, containers, stowage, legs, voyages, statements about dates."""
