"""When a bill is due by its terms."""

from calendar import monthrange
from dataclasses import dataclass
from datetime import date, timedelta


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
