"""Date windows as people say them: `next 7 days`, `this week`, `before 12 Mar`."""

import calendar
import re
from collections.abc import Callable
from dataclasses import dataclass
from datetime import MAXYEAR, date, timedelta

MONTHS = {name: number for number, name in enumerate(calendar.month_abbr) if name}
LONGEST = 3_650
STEPS = {"last": -1, "this": 0, "next": 1}
DAY = r"(?:\d{4}-\d{2}-\d{2}|\d{1,2} [a-z]{3,9}(?: \d{4})?)"


@dataclass(frozen=True, slots=True)
class Window:
    """Days from `first` to `last`, both included; None is open. `never` asks for no day at all."""

    first: date | None = None
    last: date | None = None
    never: bool = False


def read_day(text: str, today: date) -> date:
    """A day as 2026-03-12, 12 Mar or 12 Mar 2027; without a year the one nearest to `today`. Raises ValueError.

    >>> read_day("12 mar", date(2026, 11, 25)), read_day("3 Nov", date(2026, 11, 25))
    (datetime.date(2027, 3, 12), datetime.date(2026, 11, 3))
    """
    if "-" in text:
        return date.fromisoformat(text)
    number, name, *year = text.split()
    month = MONTHS.get(name[:3].title())
    if month is None:
        raise ValueError(f"{name!r} is no month")
    if year:
        return date(int(year[0]), month, int(number))
    years = [today.year + step for step in (-1, 0, 1)]
    found = [date(one, month, int(number)) for one in years if int(number) <= calendar.monthrange(one, month)[1]]
    if not found:
        raise ValueError(f"{text!r} is no day")
    return min(found, key=lambda day: abs(day - today))


def _days(count: str, unit: str) -> timedelta:
    days = int(count) * (7 if unit.startswith("week") else 1)
    if not 0 < days <= LONGEST:
        raise ValueError("more days than anybody means")
    return timedelta(days=days)


def _week(today: date, step: int) -> Window:
    monday = today - timedelta(days=today.weekday()) + timedelta(days=7 * step)
    return Window(monday, monday + timedelta(days=6))


def _month(today: date, step: int) -> Window:
    year, month = divmod(today.year * 12 + today.month - 1 + step, 12)
    return Window(date(year, month + 1, 1), date(year, month + 1, calendar.monthrange(year, month + 1)[1]))


Reader = Callable[[re.Match[str], date], Window]
SAID: list[tuple[str, Reader]] = [
    (r"next (\d{1,4}) (days?|weeks?)", lambda said, today: Window(today, today + _days(said[1], said[2]))),
    (r"last (\d{1,4}) (days?|weeks?)", lambda said, today: Window(today - _days(said[1], said[2]), today)),
    (r"today", lambda _, today: Window(today, today)),
    (r"tomorrow", lambda _, today: Window(today + timedelta(days=1), today + timedelta(days=1))),
    (r"overdue", lambda _, today: Window(None, today - timedelta(days=1))),
    (r"(?:on )?(this|last|next) week", lambda said, today: _week(today, STEPS[said[1]])),
    (r"(?:in )?(this|last|next) month", lambda said, today: _month(today, STEPS[said[1]])),
    (rf"before ({DAY})", lambda said, today: Window(None, read_day(said[1], today) - timedelta(days=1))),
    (rf"after ({DAY})", lambda said, today: Window(read_day(said[1], today) + timedelta(days=1), None)),
    (rf"(?:from )?({DAY}) to ({DAY})", lambda said, today: Window(read_day(said[1], today), read_day(said[2], today))),
    (rf"(?:on )?({DAY})", lambda said, today: Window(read_day(said[1], today), read_day(said[1], today))),
    (r"never", lambda *_: Window(never=True)),
]


def read_window(text: str, today: date) -> Window | None:
    """The window that the words mean on `today`; None where they mean none.

    >>> read_window("next 7 days", date(2026, 11, 25)).last
    datetime.date(2026, 12, 2)
    >>> read_window("some day", date(2026, 11, 25)) is None
    True
    """
    text = " ".join(text.lower().split())
    for pattern, reader in SAID:
        said = re.fullmatch(pattern, text)
        if said:
            try:
                window = reader(said, today)
            except (ValueError, OverflowError):
                return None
            return window if _meant(window) else None
    return None


def _meant(window: Window) -> bool:
    return all(1900 < day.year < MAXYEAR for day in (window.first, window.last) if day)
