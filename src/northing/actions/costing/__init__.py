"""Cost: charges, customs, and what is ours at which value."""
