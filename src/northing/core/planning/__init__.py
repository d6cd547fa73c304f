"""Days: routes, passages, ranges, loading, free time."""
