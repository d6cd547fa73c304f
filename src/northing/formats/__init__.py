"""Open formats: bytes and text to core values, and back."""
