"""Shipments, containers, shipment lines, legs, voyages, statements about dates."""
