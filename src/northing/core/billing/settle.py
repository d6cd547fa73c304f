"""A supplier's bill for goods: by how much its price differs from theirs, and what of that is cost.

Amounts are whole minor units of the bill's currency; `base` amounts of the company's. Units are Decimals in the item's
base unit.
"""

from collections.abc import Sequence
from dataclasses import dataclass
from decimal import Decimal

from northing.core.money.exact import nearest_whole
from northing.core.money.spread import spread, whole_weights


@dataclass(frozen=True, slots=True)
class Accrued:
    """Units that became ours together and are billed now: what they were worth then, in both currencies."""

    units: Decimal
    amount: int
    base: int


@dataclass(frozen=True, slots=True)
class Difference:
    """The part of a price difference that falls on such units; `cost` is what it is worth in base currency."""

    amount: int
    cost: int


def price_differences(billed: int, accrued: Sequence[Accrued]) -> list[Difference]:
    """The difference between the amount billed and what the units were worth, spread over them by units.

    By largest remainder; each part is worth what its own units were worth, rounded half up, away from zero. Units that
    were worth nothing have no rate of their own: those of all together count.

    >>> price_differences(123000, [Accrued(Decimal(60), 120000, 196200)])
    [Difference(amount=3000, cost=4905)]
    >>> price_differences(1001, [Accrued(Decimal(1), 300, 300), Accrued(Decimal(2), 600, 660)])
    [Difference(amount=34, cost=34), Difference(amount=67, cost=74)]
    """
    amount, base = sum(one.amount for one in accrued), sum(one.base for one in accrued)
    shares = spread(billed - amount, whole_weights([one.units for one in accrued]))
    found = []
    for one, share in zip(accrued, shares, strict=True):
        top, low = (one.base, one.amount) if one.amount else (base, amount)
        found.append(Difference(share, nearest_whole(share * top, low) if low else 0))
    return found


def oldest_first(quantity: Decimal, open_units: Sequence[Decimal]) -> tuple[list[Decimal], Decimal]:
    """The units taken of each, from the first on, and what is left over.

    >>> oldest_first(Decimal(5), [Decimal(3), Decimal(1), Decimal(4)])
    ([Decimal('3'), Decimal('1'), Decimal('1')], Decimal('0'))
    """
    taken, left = [], quantity
    for units in open_units:
        part = min(left, max(units, Decimal(0)))
        taken.append(part)
        left -= part
    return taken, left
