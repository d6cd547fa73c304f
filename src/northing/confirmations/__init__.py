"""Covers what suppliers answered, per instalment, and what we said to it."""
