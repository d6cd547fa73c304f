"""Money: an amount with its currency, whole in the currency's minor unit (ISO 4217)."""

from collections.abc import Iterable
from dataclasses import dataclass
from decimal import Decimal
from typing import Self

from northing.core.money.exact import all_shifted, round_to, shifted, times

_OTHER_THAN_TWO = {
    0: "BIF CLP DJF GNF ISK JPY KMF KRW PYG RWF UGX UYI VND VUV XAF XOF XPF",
    3: "BHD IQD JOD KWD LYD OMR TND",
    4: "CLF UYW",
}
_TWO = """
AED AFN ALL AMD ANG AOA ARS AUD AWG AZN BAM BBD BDT BGN BMD BND BOB BRL BSD BTN BWP BYN BZD CAD CDF
CHF CNY COP CRC CUP CVE CZK DKK DOP DZD EGP ERN ETB EUR FJD FKP GBP GEL GHS GIP GMD GTQ GYD HKD HNL
HTG HUF IDR ILS INR IRR JMD KES KGS KHR KPW KYD KZT LAK LBP LKR LRD LSL MAD MDL MGA MKD MMK MNT MOP
MRU MUR MVR MWK MXN MYR MZN NAD NGN NIO NOK NPR NZD PAB PEN PGK PHP PKR PLN QAR RON RSD RUB SAR SBD
SCR SDG SEK SGD SHP SLE SOS SRD SSP STN SVC SYP SZL THB TJS TMT TOP TRY TTD TWD TZS UAH USD UYU UZS
VES WST XCD YER ZAR ZMW ZWG
"""
MINOR_UNITS = dict.fromkeys(_TWO.split(), 2) | {
    code: places for places, codes in _OTHER_THAN_TWO.items() for code in codes.split()
}


class UnknownCurrency(ValueError):
    """The code is not a currency of ISO 4217."""


class MixedCurrencies(ValueError):
    """Two currencies met where only one makes sense."""


def minor_units(currency: str) -> int:
    """Decimals of the currency's minor unit (ISO 4217): 0, 2, 3 or 4.

    >>> minor_units("JPY"), minor_units("NZD"), minor_units("KWD")
    (0, 2, 3)
    """
    try:
        return MINOR_UNITS[currency]
    except (KeyError, TypeError):
        raise UnknownCurrency(f"{currency!r} is not an ISO 4217 currency") from None


def rounded(value: Decimal, currency: str) -> Decimal:
    """`value` rounded half up to the minor unit of `currency`."""
    return round_to(value, minor_units(currency))


def is_whole(value: Decimal, currency: str) -> bool:
    """Whether `value` has no more decimals than the currency's minor unit.

    >>> is_whole(Decimal("10.50"), "USD"), is_whole(Decimal("10.5"), "JPY")
    (True, False)
    """
    return rounded(value, currency) == value


def to_minor(value: Decimal, currency: str) -> int:
    """Whole minor units of an amount that is whole in them; raises ValueError otherwise.

    >>> to_minor(Decimal("18.40"), "USD")
    1840
    """
    if not is_whole(value, currency):
        raise ValueError(f"{value} has more decimals than {currency} allows")
    return int(shifted(value, minor_units(currency)))


def from_minor(units: int, currency: str) -> Decimal:
    """The amount of `units` minor units.

    >>> from_minor(158488, "NZD")
    Decimal('1584.88')
    """
    return shifted(units, -minor_units(currency))


def all_from_minor(units: Iterable[int], currency: str) -> list[Decimal]:
    """The amounts of many counts of minor units; `from_minor` for a column.

    >>> all_from_minor([3167, -5], "NZD")
    [Decimal('31.67'), Decimal('-0.05')]
    """
    return all_shifted(units, -minor_units(currency))


def converted(amount: Decimal, rate: Decimal, base_currency: str) -> Decimal:
    """`amount` of a foreign currency in base currency: amount x rate, rounded once.

    >>> converted(Decimal("3120.00"), Decimal("1.6420"), "NZD")
    Decimal('5123.04')
    """
    return rounded(times(amount, rate), base_currency)


@dataclass(frozen=True, slots=True)
class Money:
    """An amount in one currency. Adding two currencies raises MixedCurrencies.

    >>> Money(Decimal("1.10"), "NZD") + Money(Decimal("2.20"), "NZD")
    Money(amount=Decimal('3.30'), currency='NZD')
    """

    amount: Decimal
    currency: str

    def __add__(self, other: Self) -> "Money":
        self._same(other)
        return Money(self.amount + other.amount, self.currency)

    def __sub__(self, other: Self) -> "Money":
        self._same(other)
        return Money(self.amount - other.amount, self.currency)

    def _same(self, other: Self) -> None:
        if self.currency != other.currency:
            raise MixedCurrencies(f"{self.currency} and {other.currency} do not add up")
