"""What foreign amounts are worth at the end of a period, against what they stand at."""

from decimal import Decimal
from typing import NamedTuple

from northing.core.money.money import converted


class Standing(NamedTuple):
    """An amount in a foreign currency, and what it stands at in base currency; debit is positive."""

    account: str
    currency: str
    amount: Decimal
    base: Decimal


def unrealised(standing: Standing, rate: Decimal, base_currency: str) -> Decimal:
    """By how much an amount is worth more at the closing rate than it stands at; a debt that grew is below 0.

    >>> unrealised(Standing("supplier_payable", "USD", Decimal(-870), Decimal("-1444.20")), Decimal("1.70"), "NZD")
    Decimal('-34.80')
    """
    return converted(standing.amount, rate, base_currency) - standing.base
