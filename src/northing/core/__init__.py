"""Rules and computation: standard library only, no clock, no input or output, no Django."""
