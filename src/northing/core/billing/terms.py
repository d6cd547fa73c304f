"""When a bill is due by its terms."""

from calendar import monthrange
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date, timedelta
from decimal import Decimal

from northing.core.money.spread import spread


@dataclass(frozen=True, slots=True)
class Terms:
    """So many days from the bill's day, or from the end of its month; then on to a day of a month, where one is set."""

    days: int
    from_month_end: bool = False
    day_of_month: int | None = None


def due_day(day: date, terms: Terms) -> date:
    """The day on which a bill of `day` is due. A day that a month does not have is its last.

    >>> due_day(date(2026, 1, 10), Terms(30)).isoformat()
    '2026-02-09'
    >>> due_day(date(2026, 1, 10), Terms(0, from_month_end=True)).isoformat()
    '2026-01-31'
    >>> due_day(date(2026, 1, 10), Terms(14, from_month_end=True, day_of_month=30)).isoformat()
    '2026-02-28'
    """
    if terms.from_month_end:
        day = _on(day, 31)
    due = day + timedelta(days=terms.days)
    if terms.day_of_month is None:
        return due
    if due <= _on(due, terms.day_of_month):
        return _on(due, terms.day_of_month)
    return _on(_on(due, 31) + timedelta(days=1), terms.day_of_month)


def _on(day: date, number: int) -> date:
    """A day of the month of `day`."""
    return day.replace(day=min(number, monthrange(day.year, day.month)[1]))


@dataclass(frozen=True, slots=True)
class Discount:
    """So many per cent are taken off a bill that is paid within so many days of its day."""

    percent: Decimal
    days: int


def discount_on(bill_day: date, paid_on: date, discounts: Sequence[Discount]) -> tuple[Decimal, date | None]:
    """The best per cent that a payment on a day still takes, and the last day for it; 0 and None where none is left.

    >>> two = [Discount(Decimal(2), 10), Discount(Decimal(1), 20)]
    >>> [discount_on(date(2026, 1, 1), date(2026, 1, day), two)[0] for day in (11, 12, 22)]
    [Decimal('2'), Decimal('1'), Decimal('0')]
    """
    found = [
        (one.percent, bill_day + timedelta(days=one.days))
        for one in discounts
        if one.percent > 0 and paid_on <= bill_day + timedelta(days=one.days)
    ]
    return max(found, default=(Decimal(0), None))


@dataclass(frozen=True, slots=True)
class Instalment:
    """So many per cent of a bill are due so many days from its day."""

    percent: Decimal
    days: int


def instalments_of(text: str) -> list[Instalment]:
    """Instalments as they are written: per cent and days, "30:0 70:60". Raises ValueError with words.

    >>> [(str(one.percent), one.days) for one in instalments_of("30:0 70:60")]
    [('30', 0), ('70', 60)]
    >>> instalments_of("30:0")
    Traceback (most recent call last):
    ValueError: comes to 30 %, not to 100 %
    """
    found = []
    for word in text.split():
        percent, colon, days = word.partition(":")
        if not colon or not days.isdecimal() or not percent.replace(".", "", 1).isdecimal() or len(word) > 12:
            raise ValueError(f"has {word!r}, which is not per cent and days, such as 30:0")
        found.append(Instalment(Decimal(percent), int(days)))
    whole = sum(one.percent for one in found)
    if found and whole != 100:
        raise ValueError(f"comes to {whole} %, not to 100 %")
    if any(one.days > 730 or not one.percent for one in found):
        raise ValueError("has an instalment without a part, or after more than 730 days")
    return sorted(found, key=lambda one: one.days)


def instalments_due(bill_day: date, owed: int, terms: Sequence[Instalment]) -> list[tuple[date, int]]:
    """What of a bill (whole minor units) is due on which day; the parts add up to it.

    >>> [(day.isoformat(), part) for day, part in instalments_due(date(2026, 1, 1), 1001, instalments_of("50:0 50:30"))]
    [('2026-01-01', 501), ('2026-01-31', 500)]
    """
    parts = spread(owed, [int(one.percent * 10_000) for one in terms])
    return [(bill_day + timedelta(days=one.days), part) for one, part in zip(terms, parts, strict=True)]


def still_due(parts: Sequence[tuple[date, int]], left: int) -> list[tuple[date, int]]:
    """What is left of instalments where `left` is open: the first are paid first; what is more is due with the last.

    >>> [part for _, part in still_due([(date(2026, 1, 1), 500), (date(2026, 2, 1), 500)], 700)]
    [200, 500]
    """
    found, rest = [], left
    for day, part in reversed(parts):
        taken = min(part, rest)
        if taken > 0:
            found.append((day, taken))
        rest -= taken
    if rest > 0 and found:
        day, part = found[0]
        found[0] = day, part + rest
    return found[::-1]
