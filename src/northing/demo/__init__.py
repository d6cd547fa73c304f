"""The demo world: Kestrel & Loam, coined people and parties, real ports, laid around today."""
