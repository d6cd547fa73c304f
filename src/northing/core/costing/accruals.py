"""The part of a charge that goods have taken up, in the charge's own currency.

A charge is spread in base currency; its accrual is an open item in both. Of the foreign amount as much is taken up as
of the base amount, reckoned cumulatively, so that both come to nothing together.
"""

from northing.core.money.exact import nearest_whole


def foreign_taken(amount: int, base: int, taken: int) -> int:
    """The part of `amount` (minor units of its currency) that goes with `taken` of `base` (minor units of base).

    round(amount x taken / base), half up, away from zero; all of it once all of the base is taken.

    >>> [foreign_taken(1000, 1642, taken) for taken in (0, 821, 1642)]
    [0, 500, 1000]
    >>> foreign_taken(5, 0, 0)
    5
    """
    if taken == base:
        return amount
    if not base:
        return 0
    sign = -1 if base < 0 else 1
    return nearest_whole(sign * amount * taken, sign * base)
