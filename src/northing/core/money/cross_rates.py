"""Rates between currencies, by way of the euro; and which of them is not believed without a question."""

from collections.abc import Mapping
from decimal import Decimal

from northing.core.money.exact import divide

EURO = "EUR"
DECIMALS = 10
# A currency that is worth so much more, or less, than before is asked about.
JUMP = Decimal("0.2")


def cross_rate(per_euro: Mapping[str, Decimal], base: str, currency: str) -> Decimal | None:
    """How much base currency one unit of `currency` is worth, half up to 10 decimals; None where one is not said.

    `per_euro` says how much of each currency one euro is.

    >>> cross_rate({"USD": Decimal("1.0850"), "NZD": Decimal("1.7815")}, "NZD", "USD")
    Decimal('1.6419354839')
    >>> cross_rate({"NZD": Decimal("1.7815")}, "NZD", "EUR")
    Decimal('1.7815000000')
    """
    known = {EURO: Decimal(1)} | dict(per_euro)
    if base not in known or currency not in known:
        return None
    return divide(known[base], known[currency], DECIMALS)


def jumped(rate: Decimal, before: Decimal | None) -> bool:
    """Whether a rate differs from the one before by more than is believed.

    >>> jumped(Decimal("2.30"), Decimal("1.64")), jumped(Decimal("1.70"), Decimal("1.64")), jumped(Decimal(9), None)
    (True, False, False)
    """
    return before is not None and abs(rate - before) > before * JUMP


def change(rate: Decimal, before: Decimal) -> Decimal:
    """How much a rate differs from the one before, in per cent, one decimal.

    >>> change(Decimal("2.296"), Decimal("1.64"))
    Decimal('40.0')
    """
    return divide((rate - before) * 100, before, 1)
