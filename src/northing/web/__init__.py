"""Pages that show several domains: Watch, order lines, search, frame."""
