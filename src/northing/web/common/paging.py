"""Long lists, a page at a time; where one is stands in the address."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import Any
from urllib.parse import urlencode

SIZE = 100
LAST = 10_000


@dataclass(frozen=True)
class Page:
    """The rows of one page, and the addresses of those beside it (empty where there is none)."""

    rows: Sequence[Any]
    number: int
    before: str
    next: str


def page_number(query, name: str = "page") -> int:
    """The page that a query string asks for; 1 where it makes no sense."""
    text = query.get(name, "1")
    return min(max(int(text), 1), LAST) if text.isascii() and text.isdigit() and len(text) < 6 else 1


def page_of(find: Callable[[int, int], Sequence[Any]], query, size: int = SIZE, *, name: str = "page") -> Page:
    """The page of `find(first, past the last)`; one row more than shown tells whether there is a next.

    Several lists of one page turn by names of their own.
    """
    number = page_number(query, name)
    first = (number - 1) * size
    rows = list(find(first, first + size + 1))
    return Page(
        rows[:size],
        number,
        _address(query, name, number - 1) if number > 1 else "",
        _address(query, name, number + 1) if len(rows) > size else "",
    )


def page_of_keys(queryset, query, size: int = SIZE, *, name: str = "page", wide=None) -> Page:
    """The page of an ordered queryset of wide rows: which they are is found first, then they alone are read.

    They are read from `wide` where that counts or joins what their order does not need.
    """
    wide = queryset if wide is None else wide
    keys = queryset.select_related(None).values_list("pk", flat=True)

    def find(first: int, past: int) -> list[Any]:
        chosen = list(keys[first:past])
        rows = wide.order_by().in_bulk(chosen)
        # One may be gone since it was found.
        return [rows[key] for key in chosen if key in rows]

    return page_of(find, query, size, name=name)


def page_of_rows(queryset, query, size: int = SIZE, *, name: str = "page") -> Page:
    """The page of an ordered queryset."""
    return page_of(lambda first, past: queryset[first:past], query, size, name=name)


def _address(query, name: str, number: int) -> str:
    kept = [(word, value) for word in query for value in query.getlist(word) if word != name]
    return "?" + urlencode([*kept, (name, number)])
