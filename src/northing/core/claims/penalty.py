"""A penalty that is agreed for goods that come late."""

from decimal import Decimal

from northing.core.money.money import rounded

DAYS_OF_WEEK = 7


def late_penalty(price: Decimal, days: int, percent: Decimal, most: Decimal, currency: str) -> Decimal:
    """Return what is owed for goods of a `price` that came so many days late, in whole minor units.

    `percent` of the price for each week that has begun, at most `most` per cent in all (0: no limit). Rounded half up.

    >>> late_penalty(Decimal("1000.00"), 8, Decimal("0.5"), Decimal(5), "USD")
    Decimal('10.00')
    >>> late_penalty(Decimal("1000.00"), 90, Decimal("0.5"), Decimal(5), "USD")
    Decimal('50.00')
    >>> late_penalty(Decimal("1000.00"), 0, Decimal("0.5"), Decimal(5), "USD")
    Decimal('0.00')
    """
    weeks = -(-max(days, 0) // DAYS_OF_WEEK)
    share = percent * weeks
    return rounded(price * (min(share, most) if most else share) / 100, currency)
