"""Comparing what came out with what a scenario expects: only what it names."""

from collections.abc import Iterator
from typing import Any


def differences(expected: Any, got: Any, path: str = "") -> Iterator[str]:
    """A line for each difference: path, expected, got. Numbers are compared as they are written.

    >>> list(differences({"a": {"b": "1"}}, {"a": {"b": "2", "c": "3"}}))
    ['a.b: expected 1, got 2']
    >>> list(differences({"a": ["x", "y"]}, {"a": ["x"]}))
    ['a: expected 2 entries, got 1']
    """
    if isinstance(expected, dict) and isinstance(got, dict):
        for name, value in expected.items():
            yield from differences(value, got.get(name), f"{path}.{name}" if path else name)
    elif isinstance(expected, list) and isinstance(got, list):
        if len(expected) != len(got):
            yield f"{path}: expected {len(expected)} entries, got {len(got)}"
            return
        for place, (one, other) in enumerate(zip(expected, got, strict=True)):
            yield from differences(one, other, f"{path}[{place}]")
    elif str(expected) != str(got):
        yield f"{path}: expected {expected}, got {'nothing' if got is None else got}"
