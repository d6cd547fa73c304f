"""What people do across domains: one function each, one transaction each."""
