"""The stand-in for a central bank's daily rates that ships with the demo."""
