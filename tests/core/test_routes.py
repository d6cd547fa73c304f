"""Working days, and the dates of a route around the voyages that are chosen."""

from datetime import date

import pytest

from northing.core.planning.calendars import CALENDAR, WORKING, Calendar, read_rest, shifted
from northing.core.planning.passage import Point, expected_days
from northing.core.planning.routes import Step, worked_out

# 2026-11-23 is a Monday.
HOLIDAY = Calendar(holidays=frozenset({date(2026, 11, 25)}))
LATE_WEEKEND = Calendar(rest=frozenset({5, 6}))


def nov(number):
    return date(2026, 11, number) if number <= 30 else date(2026, 12, number - 30)


@pytest.mark.parametrize(
    ("start", "days", "days_in", "calendar", "end"),
    [
        (23, 3, CALENDAR, HOLIDAY, 26),
        (23, 2, WORKING, HOLIDAY, 26),  # the 25th is a holiday
        (23, -1, WORKING, Calendar(), 20),  # over the weekend, back
        (26, 1, WORKING, LATE_WEEKEND, 29),  # Friday and Saturday rest, Sunday works
        (27, 1, WORKING, Calendar(), 30),
        (28, 0, WORKING, Calendar(), 30),  # a Saturday is no working day: the next one
        (25, 0, WORKING, HOLIDAY, 26),
        (28, 0, CALENDAR, Calendar(), 28),
    ],
)
def test_so_many_days_later(start, days, days_in, calendar, end):
    assert shifted(nov(start), days, days_in, calendar) == nov(end)


@pytest.mark.parametrize(("text", "words"), [("8", "is not days"), ("1 2 3 4 5 6 7", "leaves no day"), ("x", "is not")])
def test_a_week_that_is_none(text, words):
    with pytest.raises(ValueError, match=words):
        read_rest(text)
    assert read_rest("") == frozenset()


def step(wait, days, days_in=CALENDAR, start=None, end=None):
    return Step(wait, days, days_in, HOLIDAY, start and nov(start), end and nov(end))


@pytest.mark.parametrize(
    ("steps", "dates"),
    [
        ([step(0, 1), step(2, 4), step(1, 2)], [(23, 24), (26, 30), (31, 33)]),
        # The voyage decides: back from its departure, on from its arrival.
        ([step(0, 1), step(2, 4, start=20, end=26), step(1, 2)], [(17, 18), (20, 26), (27, 29)]),
        # Working days: two days before the vessel leaves is the holiday, so the lorry is there on the 24th. It lands on
        # Saturday the 5th of December: a working day later is Monday, and the way takes until Tuesday.
        ([step(0, 1, WORKING), step(2, 9, start=27, end=35), step(1, 1, WORKING)], [(23, 24), (27, 35), (37, 38)]),
        # A vessel that leaves on a Sunday: the lorry is there on Friday.
        ([step(0, 1, WORKING), step(1, 9, start=29, end=35)], [(26, 27), (29, 35)]),
        # Only its departure is known, or a second voyage's days are.
        ([step(0, 1, start=25), step(5, 3, start=29)], [(25, 26), (29, 32)]),
    ],
)
def test_dates_of_a_route(steps, dates):
    assert worked_out(steps, nov(23)) == [(nov(start), nov(end)) for start, end in dates]


def test_nothing_planned_is_nothing():
    assert worked_out([], nov(23)) == []
    assert expected_days([], nov(23)) == []
    assert expected_days([Point(nov(25))], nov(23)) == [(nov(25), False)]
