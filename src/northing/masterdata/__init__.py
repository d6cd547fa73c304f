"""Companies, sites, parties, items, ports, rates, people and their permissions."""
