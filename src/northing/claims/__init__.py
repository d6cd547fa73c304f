"""Claims with their goods, until every unit has an end."""
