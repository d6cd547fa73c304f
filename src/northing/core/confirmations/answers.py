"""Comparing a supplier's answer with what was asked."""

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date, timedelta
from decimal import Decimal

from northing.core.money.periods import day_problems
from northing.core.problems import Problem


@dataclass(frozen=True, slots=True)
class Terms:
    """Quantity (base unit), ready date and pack price of one instalment."""

    quantity: Decimal
    ready_on: date
    pack_price: Decimal


@dataclass(frozen=True, slots=True)
class Part:
    """A further part of a split answer: quantity in base units, and when it is ready."""

    quantity: Decimal
    ready_on: date


def by_rule(asked: Terms, answered: Terms, later: Sequence[Part], rule_days: int, passage: int, need_by: date) -> bool:
    """Whether a rule may accept: only the date moves, by at most `rule_days`, it still comes in time, nothing dearer.

    >>> asked = Terms(Decimal(10), date(2026, 1, 5), Decimal("2.15"))
    >>> by_rule(asked, Terms(Decimal(10), date(2026, 1, 8), Decimal("2.15")), (), 3, 40, date(2026, 3, 1))
    True
    >>> by_rule(asked, Terms(Decimal(10), date(2026, 1, 9), Decimal("2.15")), (), 3, 40, date(2026, 3, 1))
    False
    """
    if later or rule_days <= 0 or answered.quantity != asked.quantity or answered.pack_price > asked.pack_price:
        return False
    late = (answered.ready_on - asked.ready_on).days
    return late <= rule_days and answered.ready_on + timedelta(days=passage) <= need_by


def differences(asked: Terms, answered: Terms) -> list[str]:
    """The names of the terms that differ: quantity, date, price.

    >>> asked = Terms(Decimal(10), date(2026, 1, 5), Decimal("2.15"))
    >>> differences(asked, Terms(Decimal(8), date(2026, 1, 5), Decimal("2.15")))
    ['quantity']
    """
    pairs = (
        ("quantity", asked.quantity, answered.quantity),
        ("date", asked.ready_on, answered.ready_on),
        ("price", asked.pack_price, answered.pack_price),
    )
    return [name for name, before, after in pairs if before != after]


def answer_problems(
    asked: Terms, answered: Terms, where: str, later: Sequence[Part] = (), earliest: date | None = None
) -> list[Problem]:
    """The problems of recording an answer; `later` are further parts of a split,
    `earliest` the first day it may name.
    """
    found = []
    for part in later:
        if part.quantity <= 0:
            found.append(Problem("Each part needs a quantity above 0.", where))
        found += day_problems(part.ready_on, where)
    days = [answered.ready_on, *(part.ready_on for part in later)]
    if earliest and min(days) < earliest:
        found.append(Problem(f"{min(days):%-d %b %Y} has passed.", where, "Say a day from today on."))
    if len(set(days)) < len(days):
        found.append(Problem("Two parts are for the same day.", where, "Give each part its own day."))
    total = answered.quantity + sum((part.quantity for part in later), Decimal(0))
    if answered.quantity <= 0:
        found.append(Problem("The quantity must be above 0.", where, "To say that nothing comes, cancel the line."))
    if total > asked.quantity:
        found.append(
            Problem(
                f"The supplier promises more than the {asked.quantity.normalize():f} that were ordered.",
                where,
                "Enter at most the ordered quantity.",
            )
        )
    found += day_problems(answered.ready_on, where)
    if answered.pack_price < 0:
        found.append(Problem("The price must not be negative.", where))
    return found
