"""Addresses that are told what happens."""
