"""Actions of the step: ledger."""
