"""Receiving one part of a shipment: where the units come from, and what stops it."""

from dataclasses import dataclass
from decimal import Decimal

from northing.core.positions.places import drawn_from
from northing.core.problems import Problem, Strength

ZERO = Decimal(0)


@dataclass(frozen=True, slots=True)
class Expected:
    """What the papers say of one shipment line: its place, its quantity, what is accounted for."""

    place: str
    quantity: Decimal
    accounted: Decimal
    with_supplier: Decimal
    over_tolerance: Decimal

    @property
    def open(self) -> Decimal:
        """Shipped and not yet received or declared missing."""
        return max(self.quantity - self.accounted, ZERO)


@dataclass(frozen=True, slots=True)
class Counted:
    """What the dock says: units found, and whether a short rest is still to come (None: not said)."""

    quantity: Decimal
    still_coming: bool | None


@dataclass(frozen=True, slots=True)
class Taking:
    """Where received units come from, place by place; units missing; units beyond the order."""

    received: list[tuple[str, Decimal]]
    missing: Decimal
    excess: Decimal


def most_allowed(expected: Expected) -> Decimal:
    """The largest quantity that passes: what is open plus the over tolerance on the whole.

    >>> most_allowed(Expected("landed", Decimal(100), Decimal(40), Decimal(0), Decimal("2")))
    Decimal('62')
    """
    return expected.open + expected.quantity * expected.over_tolerance / 100


def taking(expected: Expected, counted: Counted) -> Taking:
    """Draw the units from the shipment lines first, then from what is still with the supplier, then from excess.

    >>> taking(Expected("landed", Decimal(10), Decimal(0), Decimal(0), Decimal(0)), Counted(Decimal(8), False))
    Taking(received=[('landed', Decimal('8'))], missing=Decimal('2'), excess=Decimal('0'))
    """
    received = drawn_from(
        counted.quantity, [(expected.place, expected.open), ("with_supplier", expected.with_supplier)]
    )
    short = max(expected.open - counted.quantity, ZERO)
    missing = short if counted.still_coming is False else ZERO
    excess = sum((quantity for place, quantity in received if place == "excess"), ZERO)
    return Taking(received, missing, excess)


def counting_problems(expected: Expected, counted: Counted, where: str, rest: str) -> list[Problem]:
    """What stops the count: negative, over tolerance, a short rest of which nothing is said.

    `where` names the field of the count, `rest` that of the short rest.
    """
    if counted.quantity < 0:
        return [Problem("The quantity must not be negative.", where)]
    allowed = most_allowed(expected)
    if counted.quantity > allowed:
        return [
            Problem(
                f"{_plain(counted.quantity)} is more than the {_plain(expected.open)} still expected"
                f" and the tolerance of {_plain(expected.over_tolerance)} % allow.",
                where,
                f"Receive at most {_plain(allowed)} and set the rest aside for the buyer to decide.",
            )
        ]
    if counted.quantity < expected.open and counted.still_coming is None:
        short = _plain(expected.open - counted.quantity)
        return [
            Problem(f"{short} are short.", rest, "Say whether they are still coming or no more comes.", Strength.ASK)
        ]
    return []


def _plain(value: Decimal) -> str:
    return format(value.normalize(), "f")
