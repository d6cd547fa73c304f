"""Ids of records as requests bring them."""

# More digits than any id has; a longer number is nonsense.
LONGEST = 15


def key_of(said: str) -> int:
    """The id that a text says; 0, which no record has, where it says none."""
    return int(said) if said.isascii() and said.isdigit() and len(said) < LONGEST else 0


def keys_of(said: list[str]) -> list[int]:
    """The ids among texts; nonsense is left out."""
    return [key for key in map(key_of, said) if key]
