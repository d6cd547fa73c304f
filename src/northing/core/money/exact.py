"""Exact decimal numbers: how they are read, multiplied and rounded.

Binary floats never enter. Every rounding in Northing is half up, away from zero.
"""

import re
from collections.abc import Iterable
from contextlib import AbstractContextManager
from decimal import ROUND_FLOOR, ROUND_HALF_UP, Context, Decimal, Inexact, localcontext

_PATTERN = re.compile(r"-?[0-9]{1,15}(?:\.[0-9]{1,10})?")
_EXACT = Context(prec=160, traps=[Inexact])
_ROUNDING = Context(prec=160, rounding=ROUND_HALF_UP)
_UNITS = [Decimal(1).scaleb(-decimals) for decimals in range(11)]


def read_exact(text: str) -> Decimal:
    """The number written in `text`: up to 15 digits before and 10 after the point.

    Raises ValueError for exponents, NaN, infinities, spaces, signs other than a leading minus.

    >>> read_exact("-18.40")
    Decimal('-18.40')
    >>> read_exact("1e3")
    Traceback (most recent call last):
    ValueError: not a plain number of up to 15 digits before and 10 after the point
    """
    if not _PATTERN.fullmatch(text):
        raise ValueError("not a plain number of up to 15 digits before and 10 after the point")
    return Decimal(text)


def exactly() -> AbstractContextManager[Context]:
    """Arithmetic of 160 digits in which an inexact result is an error, for sums of large amounts.

    >>> with exactly():
    ...     Decimal("123456789012345678901234567890") + Decimal("0.01")
    Decimal('123456789012345678901234567890.01')
    """
    return localcontext(_EXACT)


def shifted(value: Decimal | int, places: int) -> Decimal:
    """`value` with the point moved right by `places`, exactly.

    >>> shifted(1840, -2)
    Decimal('18.40')
    """
    return _EXACT.scaleb(Decimal(value), places)


def all_shifted(values: Iterable[int], places: int) -> list[Decimal]:
    """Each of many whole numbers with its point moved; `shifted` for a column.

    >>> all_shifted([1840, 5], -2)
    [Decimal('18.40'), Decimal('0.05')]
    """
    move = _EXACT.scaleb
    return [move(Decimal(value), places) for value in values]


def times(*factors: Decimal) -> Decimal:
    """The exact product; raises decimal.Inexact beyond 160 digits, never rounds.

    >>> times(Decimal("240"), Decimal("18.40"), Decimal("1.6420"))
    Decimal('7251.072000')
    """
    product = factors[0]
    for factor in factors[1:]:
        product = _EXACT.multiply(product, factor)
    return product


def plus(terms: Iterable[Decimal]) -> Decimal:
    """The exact sum; raises decimal.Inexact beyond 160 digits, never rounds.

    >>> plus([Decimal("0.1"), Decimal("0.20")])
    Decimal('0.30')
    """
    total = Decimal(0)
    for term in terms:
        total = _EXACT.add(total, term)
    return total


def round_to(value: Decimal, decimals: int) -> Decimal:
    """`value` rounded half up, away from zero, to `decimals` places (0 to 10).

    >>> round_to(Decimal("2.345"), 2), round_to(Decimal("-2.345"), 2)
    (Decimal('2.35'), Decimal('-2.35'))
    """
    return _ROUNDING.quantize(value, _UNITS[decimals])


def floor_to(value: Decimal, decimals: int) -> Decimal:
    """The largest number of so many decimals that is not above `value`.

    >>> floor_to(Decimal("12.24"), 0), floor_to(Decimal("-0.5"), 0)
    (Decimal('12'), Decimal('-1'))
    """
    return value.quantize(_UNITS[decimals], ROUND_FLOOR, _ROUNDING)


def divide(value: Decimal, by: Decimal, decimals: int) -> Decimal:
    """`value / by`, rounded half up on the exact quotient to `decimals` places.

    >>> divide(Decimal("9571.67"), Decimal("240"), 4)
    Decimal('39.8820')
    """
    top_n, top_d = value.as_integer_ratio()
    low_n, low_d = by.as_integer_ratio()
    return shifted(nearest_whole(top_n * low_d * 10**decimals, top_d * low_n), -decimals)


def nearest_whole(numerator: int, denominator: int) -> int:
    """The whole number nearest to numerator / denominator, halves away from zero.

    >>> nearest_whole(5, 2), nearest_whole(-5, 2)
    (3, -3)
    """
    if denominator < 0:
        numerator, denominator = -numerator, -denominator
    size = (2 * abs(numerator) + denominator) // (2 * denominator)
    return size if numerator >= 0 else -size


def plain(value: Decimal) -> str:
    """`value` as text without exponent and without trailing zeros after the point.

    >>> plain(Decimal("2.1500")), plain(Decimal("1E+3")), plain(Decimal("-0.00"))
    ('2.15', '1000', '0')
    """
    text = format(value, "f")
    if "." in text:
        text = text.rstrip("0").rstrip(".")
    return "0" if text in ("-0", "") else text
