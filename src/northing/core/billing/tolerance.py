"""Tolerances of bills: what may be billed above what was agreed, in per cent and in money, on a line and in all."""

from dataclasses import dataclass
from decimal import Decimal


@dataclass(frozen=True, slots=True)
class Tolerance:
    """The most that passes: so many per cent of what was agreed, and so much in base currency; None sets no limit."""

    percent: Decimal | None = None
    money: Decimal | None = None

    def allows(self, difference: Decimal, agreed: Decimal) -> bool:
        """Whether a difference (base currency) from what was agreed (base currency) passes both.

        What is below the agreed amount passes.

        >>> Tolerance(Decimal(2), Decimal(50)).allows(Decimal(30), Decimal(2000))
        True
        >>> Tolerance(Decimal(2), Decimal(20)).allows(Decimal(30), Decimal(2000))
        False
        >>> Tolerance(Decimal(1), None).allows(Decimal(30), Decimal(2000))
        False
        """
        if difference <= 0:
            return True
        if self.percent is not None and difference * 100 > self.percent * agreed:
            return False
        return self.money is None or difference <= self.money

    @property
    def words(self) -> str:
        """The tolerance in words, without its currency.

        >>> Tolerance(Decimal(2), Decimal(50)).words, Tolerance(Decimal("0.5")).words, Tolerance().words
        ('2 % and 50', '0.5 %', 'anything')
        """
        found = []
        if self.percent is not None:
            found.append(f"{self.percent.normalize():f} %")
        if self.money is not None:
            found.append(f"{self.money.normalize():f}")
        return " and ".join(found) or "anything"


def bill_number_key(number: str) -> str:
    """A bill's number as it is compared: without punctuation, spaces and case.

    >>> bill_number_key("INV-0042/a"), bill_number_key("inv 0042 A"), bill_number_key("--")
    ('INV0042A', 'INV0042A', '--')
    """
    return "".join(sign for sign in number.upper() if sign.isalnum()) or number.strip()
