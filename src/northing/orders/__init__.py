"""Purchase orders, lines, instalments, revisions."""
