"""A short code for a new business partner."""

import re
import unicodedata
from collections.abc import Container

LETTERS = 3


def code_of(name: str, taken: Container[str]) -> str:
    """A short code for a name that no one has yet; empty where the name has no letters.

    >>> code_of("Tremsolva Cerâmica", ()), code_of("Tremsolva Cerâmica", ("TRE", "TRE2"))
    ('TRE', 'TRE3')
    """
    plain = unicodedata.normalize("NFKD", name).encode("ascii", "ignore").decode()
    code = re.sub(r"[^A-Z0-9]", "", plain.upper())[:LETTERS]
    if not code:
        return ""
    free = (f"{code}{number if number > 1 else ''}" for number in range(1, 1_000))
    return next((one for one in free if one not in taken), "")
