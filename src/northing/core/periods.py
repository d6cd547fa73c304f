"""Accounting periods: a fact keeps its day and posts in the first open period."""

from datetime import date, timedelta


def posting_day(occurred_on: date, closed_through: date | None) -> date:
    """The day a fact posts: its own, or the first day after the closed periods.

    >>> posting_day(date(2026, 10, 30), date(2026, 10, 31))
    datetime.date(2026, 11, 1)
    >>> posting_day(date(2026, 11, 5), date(2026, 10, 31))
    datetime.date(2026, 11, 5)
    """
    if closed_through and occurred_on <= closed_through:
        return closed_through + timedelta(days=1)
    return occurred_on
