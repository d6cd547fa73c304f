"""The places of a unit."""
