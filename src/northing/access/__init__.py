"""People, roles, permissions, tokens, sign-in."""
