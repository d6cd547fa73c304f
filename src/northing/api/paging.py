"""Pages by cursor: where one is stands in an opaque word, and no row is counted."""

import base64
import binascii
from typing import Any

from northing.core.problems import Problem, Refused

MOST, USUAL = 200, 100


def word_of(key: int | str) -> str:
    """The cursor that stands after a key."""
    return base64.urlsafe_b64encode(str(key).encode()).decode().rstrip("=")


def key_of(word: str) -> str:
    """The key that a cursor stands after. Raises Refused for one that is none of ours."""
    try:
        return base64.urlsafe_b64decode(word + "=" * (-len(word) % 4)).decode()
    except (ValueError, binascii.Error, UnicodeDecodeError):
        raise Refused(Problem("This is no cursor of ours.", "after", "Begin without one.")) from None


def number_of(word: str) -> int:
    """The id that a cursor stands after."""
    text = key_of(word)
    if not (text.isascii() and text.isdigit() and len(text) < 19):
        raise Refused(Problem("This is no cursor of ours.", "after", "Begin without one."))
    return int(text)


def page(queryset: Any, after: str, limit: int, *, newest_first: bool = False) -> tuple[list[Any], str | None]:
    """The rows after the cursor by id, and the cursor of the next page (None at the end)."""
    if after:
        key = number_of(after)
        queryset = queryset.filter(pk__lt=key) if newest_first else queryset.filter(pk__gt=key)
    rows = list(queryset.order_by("-pk" if newest_first else "pk")[: limit + 1])
    return rows[:limit], word_of(rows[limit - 1].pk) if len(rows) > limit else None
