"""The facts of a record of the house, and how each is read from text and said as text."""

from collections.abc import Iterable
from dataclasses import dataclass, field
from decimal import Decimal
from typing import Any

from django.db import models

from northing.core.planning.loading import LOOSE, TYPES
from northing.formats import facts as of

ZERO, LARGEST = Decimal(0), Decimal("999999999")
NEEDED = object()


@dataclass(frozen=True)
class Fact:
    """A fact of a record: its column, its words, how it is read; without it a new record has `absent`."""

    name: str
    words: str
    read: of.Reader = of.text(60)
    absent: Any = NEEDED
    # The kind of record that it names by its code.
    refers: str = ""
    choices: tuple[str, ...] = ()
    fixed: bool = False
    # Fixed once something stands upon it.
    settles: bool = False
    percent: bool = False

    def said(self, value: object) -> str:
        """The value as people write it."""
        if self.refers:
            return str(getattr(value, "code", "") or "")
        return of.written(value * 100 if self.percent and isinstance(value, Decimal) else value)


@dataclass(frozen=True)
class Kind:
    """A kind of record. `permissions`: any one of them is enough to keep it; `company`: the path to its company."""

    name: str
    words: str
    many: str
    model: type[models.Model]
    key: tuple[str, ...]
    facts: tuple[Fact, ...]
    permissions: tuple[str, ...]
    company: str = ""
    history: str = ""
    given: dict[str, Any] = field(default_factory=dict)
    # Which records of the model it is, where `given` does not say it.
    within: dict[str, Any] = field(default_factory=dict)
    # How many facts a list shows, beside those that it is known by.
    few: int = 6

    @property
    def needed(self) -> list[str]:
        """The columns that a file has to have."""
        return [fact.name for fact in self.facts if fact.absent is NEEDED]

    def fact(self, name: str) -> Fact:
        """The fact of that name. Raises KeyError."""
        return {fact.name: fact for fact in self.facts}[name]

    def rows(self) -> models.QuerySet:
        """All records of the kind, with what their facts refer to."""
        found = self.model._default_manager.filter(**self.given, **self.within)
        return found.select_related(*[fact.name for fact in self.facts if fact.refers]).order_by(*self.key)

    def texts(self, record: models.Model) -> dict[str, str]:
        """The record's facts as people write them."""
        return {fact.name: fact.said(getattr(record, fact.name)) for fact in self.facts}


def code(longest: int) -> Fact:
    """The code by which a record is known."""
    return Fact("code", "Code", of.code(longest), fixed=True)


def percent(name: str, words: str, absent: Any = ZERO) -> Fact:
    """A percentage, kept as a fraction of 1."""
    return Fact(name, words, of.percent(), absent, percent=True)


def choice(name: str, words: str, choices: Iterable[str], **more: Any) -> Fact:
    """One of some words."""
    choices = tuple(choices)
    return Fact(name, words, of.one_of(choices), choices=choices, **more)


def yes(name: str, words: str) -> Fact:
    """Yes or no."""
    return Fact(name, words, of.yes_no, False, choices=("no", "yes"))


def measure(name: str, words: str, decimals: int, absent: Any = ZERO) -> Fact:
    """A number from 0 on, with so many decimals."""
    return Fact(name, words, of.number(ZERO, LARGEST, decimals), absent)


def size_type(said: str) -> str:
    """A container type by its ISO 6346 size-type, or loose packages."""
    kept = said.upper()
    if kept not in TYPES and kept != LOOSE:
        raise ValueError(f"is no container type that is known: {', '.join(TYPES)}, or {LOOSE} for loose packages")
    return kept


def address(name: str, words: str) -> Fact:
    """A few lines, or none."""
    return Fact(name, words, of.lines(400), "")
