"""Actions across domains: one function each, one transaction each."""
