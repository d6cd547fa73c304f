"""Comparing a supplier's answer with what was asked."""

from dataclasses import dataclass
from datetime import date
from decimal import Decimal

from northing.core.periods import day_problems
from northing.core.problems import Problem


@dataclass(frozen=True, slots=True)
class Terms:
    """Quantity (base unit), ready date and pack price of one instalment."""

    quantity: Decimal
    ready_on: date
    pack_price: Decimal


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


def answer_problems(asked: Terms, answered: Terms, where: str) -> list[Problem]:
    """What forbids recording an answer."""
    found = []
    if answered.quantity <= 0:
        found.append(Problem("The quantity must be above 0.", where, "To say that nothing comes, cancel the line."))
    if answered.quantity > asked.quantity:
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
