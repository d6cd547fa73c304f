"""Accounting periods: a fact keeps its day and posts in the first open period."""

from datetime import date, timedelta

from northing.core.problems import Problem

FIRST, LAST = date(1990, 1, 1), date(2199, 12, 31)


def day_problems(day: date, where: str) -> list[Problem]:
    """What is wrong with a day of an implausible year; days around a plausible one can always be reckoned.

    >>> [problem.what for problem in day_problems(date(202, 11, 25), "day")]
    ['Year 202 is not plausible.']
    """
    if FIRST <= day <= LAST:
        return []
    return [Problem(f"Year {day.year} is not plausible.", where, "Enter four digits.")]


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


FAR = 1000


def far_problems(day: date, today: date, where: str) -> list[Problem]:
    """A passage of today is not planned for, nor reported of, a day that lies years away.

    >>> [str(problem) for problem in far_problems(date(2199, 1, 1), date(2026, 1, 1), "on")]
    ['This day is years away. Check the year.']
    """
    return [Problem("This day is years away.", where, "Check the year.")] if abs((day - today).days) > FAR else []
