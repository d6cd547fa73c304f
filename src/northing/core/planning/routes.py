"""Work out the dates of a route: legs with their days and calendars, around the dates that are known."""

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date

from northing.core.planning.calendars import CALENDAR, USUAL, Calendar, shifted


@dataclass(frozen=True, slots=True)
class Step:
    """A leg as its pattern has it: days of waiting before it, days on it, and in which days both are counted.

    `start` and `end` are given where a voyage says them.
    """

    wait_days: int
    days: int
    days_in: str = CALENDAR
    calendar: Calendar = USUAL
    start: date | None = None
    end: date | None = None


def worked_out(steps: Sequence[Step], begin: date) -> list[tuple[date, date]]:
    """Start and end of each leg, in order.

    From the first date that a voyage gives, the legs before it are counted back and those after it forward; where
    none is given all are counted forward from `begin` (which is then the start of the first). A leg that is counted
    in working days starts and ends on one. A later day of the voyage is taken as it is.

    >>> monday = date(2026, 11, 23)
    >>> legs = [Step(0, 1), Step(2, 20), Step(3, 1)]
    >>> [(start.isoformat(), end.isoformat()) for start, end in worked_out(legs, monday)][1]
    ('2026-11-26', '2026-12-16')
    """
    known = next((index for index, step in enumerate(steps) if step.start), None)
    found: list[tuple[date, date]] = []
    for index in range(known or 0, len(steps)):
        before = found[-1][1] if found else None
        found.append(_forward(steps[index], before, begin))
    for index in range((known or 0) - 1, -1, -1):
        found.insert(0, _backward(steps[index], steps[index + 1], found[0][0]))
    return found


def _forward(step: Step, before: date | None, begin: date) -> tuple[date, date]:
    start = step.start or _later(step, before, step.wait_days) if before else step.start or _later(step, begin, 0)
    return start, step.end or _later(step, start, step.days)


def _later(step: Step, day: date, days: int) -> date:
    return shifted(day, days, step.days_in, step.calendar)


def _backward(step: Step, following: Step, start: date) -> tuple[date, date]:
    end = _earlier(step, shifted(start, -following.wait_days, following.days_in, following.calendar))
    return shifted(end, -step.days, step.days_in, step.calendar), end


def _earlier(step: Step, day: date) -> date:
    """The day itself, or the last one before it that counts."""
    if step.days_in == CALENDAR or step.calendar.works(day):
        return day
    return shifted(day, -1, step.days_in, step.calendar)
