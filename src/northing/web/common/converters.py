"""Words of addresses that are one of some."""

from collections.abc import Iterable

from django.urls import register_converter


class _OneOf:
    """A word of an address that is one of some."""

    regex = ""

    def to_python(self, value: str) -> str:
        """The word."""
        return value

    to_url = to_python


def one_of(name: str, words: Iterable[str]) -> None:
    """Let addresses name a word of these by a converter of that name."""
    register_converter(type(name, (_OneOf,), {"regex": "|".join(words)}), name)
