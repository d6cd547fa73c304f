"""Advances on an order: the part of them that belongs to goods as they become ours.

Amounts are whole minor units of the order's currency; `base` amounts of the company's.
"""

from typing import NamedTuple

from northing.core.money.exact import nearest_whole


class Amounts(NamedTuple):
    """An amount in the order's currency, and what it is worth in base currency."""

    amount: int
    base: int


NOTHING = Amounts(0, 0)


def reserved(open_advance: Amounts, goods: int, not_ours: int, most: int) -> Amounts:
    """The part of an open advance that belongs to goods worth `goods` of the `not_ours` before them, these included.

    round(open x goods / not ours), at most `most` (what is owed for them) and at most what is open; its base is that
    share of the advance's base.

    >>> reserved(Amounts(60000, 96000), 120000, 200000, 120000)
    Amounts(amount=36000, base=57600)
    >>> reserved(Amounts(24000, 38400), 80000, 80000, 80000)
    Amounts(amount=24000, base=38400)
    >>> reserved(Amounts(24000, 38400), 80000, 80000, 12000)
    Amounts(amount=12000, base=19200)
    """
    if open_advance.amount <= 0 or goods <= 0 or most <= 0:
        return NOTHING
    share = nearest_whole(open_advance.amount * goods, max(not_ours, goods))
    amount = min(share, most, open_advance.amount)
    return Amounts(amount, nearest_whole(open_advance.base * amount, open_advance.amount))
