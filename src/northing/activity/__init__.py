"""Story and idempotency keys, attached to any record."""
