"""When a bill is due by its terms."""

from calendar import monthrange
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date, timedelta
from decimal import Decimal


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
