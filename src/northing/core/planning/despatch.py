"""Hold what is said to be despatched against what was agreed: which instalments it is of, and what differs."""

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date
from decimal import Decimal

from northing.core.money.exact import plain

ZERO = Decimal(0)


@dataclass(frozen=True, slots=True)
class Open:
    """An instalment of a line: units still with the supplier, how many of all were agreed, when it is ready."""

    key: int
    there: Decimal
    quantity: Decimal
    agreed: Decimal
    ready: date


@dataclass(frozen=True, slots=True)
class Allotted:
    """How a row's quantity is spread over instalments; what of it no one expects is on the last one too."""

    rows: tuple[tuple[int, Decimal], ...]
    over: Decimal
    unagreed: bool
    early: int


def allot(quantities: Sequence[Decimal], instalments: Sequence[Open], day: date) -> list[Allotted]:
    """Spread the rows of one line over its instalments, the first to be ready first; in the order of the rows.

    `over` is what is more than the supplier still has; `early` by how many days the latest instalment that is drawn
    on is ahead of the day it was to be ready.

    >>> parts = [Open(1, Decimal(60), Decimal(60), Decimal(60), date(2026, 1, 1))]
    >>> allot([Decimal(50), Decimal(20)], parts, date(2026, 1, 1))[1]
    Allotted(rows=((1, Decimal('20')),), over=Decimal('10'), unagreed=False, early=0)
    """
    parts = sorted(instalments, key=lambda part: (part.ready, part.key))
    left = {part.key: part.there for part in parts}
    found = []
    for quantity in quantities:
        drawn: dict[int, Decimal] = {}
        rest = quantity
        for part in parts:
            taken = min(rest, left[part.key])
            if taken > 0:
                drawn[part.key] = taken
                left[part.key] -= taken
                rest -= taken
        if rest > 0 and parts:
            last = parts[-1].key
            drawn[last] = drawn.get(last, ZERO) + rest
        used = [part for part in parts if part.key in drawn]
        early = max(((part.ready - day).days for part in used), default=0)
        unagreed = any(part.agreed < part.quantity for part in used)
        found.append(Allotted(tuple(drawn.items()), rest, unagreed, max(early, 0)))
    return found


def differences(allotted: Allotted, unit: str) -> list[str]:
    """The differences of a row from the agreement, in words; none where it matches."""
    found = []
    if allotted.over > 0:
        found.append(f"{plain(allotted.over)} {unit} more than are still with the supplier")
    if allotted.unagreed:
        found.append("not agreed yet")
    if allotted.early > 0:
        found.append(f"{allotted.early} days before it was to be ready")
    return found
