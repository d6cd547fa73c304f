"""Numbers and dates as people read them: true minus, grouped digits, no ambiguous dates."""

from collections.abc import Sequence
from datetime import date
from decimal import Decimal

from northing.core.money.exact import plain, round_to
from northing.core.money.money import minor_units

MINUS = "−"
_MONTHS = ("Jan", "Feb", "Mar", "Apr", "May", "Jun", "Jul", "Aug", "Sep", "Oct", "Nov", "Dec")
_WEEKDAYS = ("Mon", "Tue", "Wed", "Thu", "Fri", "Sat", "Sun")


def _grouped(text: str) -> str:
    whole, _, rest = text.lstrip("-").partition(".")
    whole = f"{int(whole):,}"
    sign = MINUS if text.startswith("-") else ""
    return f"{sign}{whole}.{rest}" if rest else f"{sign}{whole}"


def count(quantity: Decimal) -> str:
    """A quantity without trailing zeros.

    >>> count(Decimal("1200.000000")), count(Decimal("-2.5"))
    ('1,200', '−2.5')
    """
    return _grouped(plain(quantity))


def money(amount: Decimal, currency: str) -> str:
    """An amount with its currency's decimals, without the code.

    >>> money(Decimal("20065.25"), "NZD"), money(Decimal("-1500"), "JPY")
    ('20,065.25', '−1,500')
    """
    return _grouped(format(round_to(amount, minor_units(currency)), "f"))


def price(value: Decimal, how: int | str = 2) -> str:
    """A price or rate: at least as many places as `how` says, or as its currency has; more where it has them.

    >>> price(Decimal("18.4000000000")), price(Decimal("1.6420"), 4), price(Decimal("642"), "JPY")
    ('18.40', '1.6420', '642')
    """
    text = plain(value)
    places = max(minor_units(how) if isinstance(how, str) else how, len(text.partition(".")[2]))
    return _grouped(format(round_to(value, places), "f"))


def written_price(value: Decimal, currency: str) -> str:
    """A price as it would be typed: at least the currency's decimals, nothing grouped.

    >>> written_price(Decimal("1018.4000000000"), "USD"), written_price(Decimal("642.0"), "JPY")
    ('1018.40', '642')
    """
    text = plain(value)
    places = max(minor_units(currency), len(text.partition(".")[2]))
    return format(round_to(value, places), "f")


def day(value: date, this_year: int) -> str:
    """A day, with the year only when it is not `this_year`.

    >>> day(date(2026, 3, 12), 2026), day(date(2027, 3, 12), 2026)
    ('12 Mar', '12 Mar 2027')
    """
    text = f"{value.day} {_MONTHS[value.month - 1]}"
    return text if value.year == this_year else f"{text} {value.year}"


def dated(value: date) -> str:
    """A day with its year, as stories write it.

    >>> dated(date(2026, 12, 16))
    '16 Dec 2026'
    """
    return f"{value.day} {_MONTHS[value.month - 1]} {value.year}"


def first_of(names: Sequence[str], most: int) -> str:
    """The first of some names, and how many more there are.

    >>> first_of(["A", "B", "C"], 2), first_of(["A"], 2)
    ('A, B and 1 more', 'A')
    """
    return ", ".join(names[:most]) + (f" and {len(names) - most} more" if len(names) > most else "")


def weekday(value: date) -> str:
    """Three letters of the weekday.

    >>> weekday(date(2026, 11, 24))
    'Tue'
    """
    return _WEEKDAYS[value.weekday()]
