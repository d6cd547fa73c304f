"""Land: receipts, inspections, returns, issues."""
