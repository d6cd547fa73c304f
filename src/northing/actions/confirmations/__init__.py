"""Agree: what suppliers answer, what we decide, how they are asked and reminded."""
