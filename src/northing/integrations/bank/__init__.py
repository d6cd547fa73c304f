"""The daily rates of a central bank: over HTTP, and a stand-in that ships with the demo."""
