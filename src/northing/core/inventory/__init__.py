"""Rules of the warehouse: where goods may lie, and where they are best put."""
