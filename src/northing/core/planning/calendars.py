"""Working days: the days of the week that rest in a country, its public holidays, and a company's own days."""

from collections.abc import Mapping
from dataclasses import dataclass, field
from datetime import date, timedelta
from functools import cache

import holidays as library

CALENDAR, WORKING = "calendar", "working"
DAY = timedelta(days=1)
SATURDAY_SUNDAY = frozenset({6, 7})
# A calendar on which nothing ever works would be counted on forever.
LONGEST = 3_660


@cache
def public_holidays(country: str, year: int) -> Mapping[date, str]:
    """The public holidays of a country (ISO 3166-1, two letters) that hold in all of it, with their names.

    Empty for a country that nothing is known of.

    >>> public_holidays("NZ", 2026)[date(2026, 2, 6)], public_holidays("XX", 2026)
    ('Waitangi Day', {})
    """
    try:
        return dict(library.country_holidays(country, years=year, language="en_US"))
    except NotImplementedError:
        return {}


@dataclass(frozen=True, slots=True)
class Calendar:
    """The days on which no one works: ISO weekdays (1 is Monday), single days, and a country's public holidays.

    `worked` are days on which people work whatever else says.
    """

    rest: frozenset[int] = SATURDAY_SUNDAY
    holidays: frozenset[date] = field(default_factory=frozenset)
    country: str = ""
    worked: frozenset[date] = field(default_factory=frozenset)

    def works(self, day: date) -> bool:
        """Whether it is a working day.

        >>> Calendar().works(date(2026, 11, 28)), Calendar(rest=frozenset({5})).works(date(2026, 11, 28))
        (False, True)
        >>> waitangi = date(2026, 2, 6)
        >>> Calendar(country="NZ").works(waitangi), Calendar(country="NZ", worked=frozenset({waitangi})).works(waitangi)
        (False, True)
        """
        if day in self.worked:
            return True
        own = day.isoweekday() in self.rest or day in self.holidays
        return not own and not (self.country and day in public_holidays(self.country, day.year))


USUAL = Calendar()


def read_rest(text: str) -> frozenset[int]:
    """The days of rest as people write them: ISO weekdays, in any order.

    >>> sorted(read_rest("5 6"))
    [5, 6]

    Raises ValueError where a day is none of 1 to 7, or no day is left to work on.
    """
    days = frozenset(text.replace(",", " ").split())
    if days - set("1234567"):
        raise ValueError("is not days of the week: 1 is Monday, 7 Sunday")
    if len(days) == 7:
        raise ValueError("leaves no day to work on")
    return frozenset(int(day) for day in days)


def counts(day: date, days_in: str, calendar: Calendar) -> bool:
    """Whether a day counts: every day, or the working days."""
    return days_in == CALENDAR or calendar.works(day)


def shifted(day: date, days: int, days_in: str, calendar: Calendar) -> date:
    """So many days later (below zero: earlier). Counting working days it ends on one, with 0 on the next one.

    >>> friday = date(2026, 11, 27)
    >>> shifted(friday, 1, WORKING, Calendar()).isoformat(), shifted(friday, 1, CALENDAR, Calendar()).isoformat()
    ('2026-11-30', '2026-11-28')
    >>> shifted(date(2026, 11, 28), 0, WORKING, Calendar()).isoformat()
    '2026-11-30'
    """
    if days_in == CALENDAR:
        return day + days * DAY
    step = -DAY if days < 0 else DAY
    left = abs(days)
    for _ in range(LONGEST):
        if left == 0 and calendar.works(day):
            break
        day += step
        if left and calendar.works(day):
            left -= 1
    return day
