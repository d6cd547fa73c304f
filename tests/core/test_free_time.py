"""Free time by a table of cases, worked by hand on a calendar: Friday 20 November 2026 is the day of discharge."""

from datetime import date
from decimal import Decimal as D

import pytest
from hypothesis import given
from hypothesis import strategies as some

from northing.core.planning.calendars import CALENDAR, WORKING, Calendar
from northing.core.planning.free_time import Terms, Tier, clock, last_free_day, read_tiers

FRIDAY = date(2026, 11, 20)
TIERS = (Tier(1, D(80)), Tier(4, D(120)))
HOLIDAY = Calendar(holidays=frozenset({date(2026, 11, 25)}))


def day(number):
    return date(2026, 11, number) if number <= 30 else date(2026, 12, number - 30)


def terms(free=5, first=True, free_in=CALENDAR, paid_in=CALENDAR, currency="USD", tiers=TIERS):
    return Terms(free, first, free_in, paid_in, tiers, currency)


@pytest.mark.parametrize(
    ("what", "until"),
    [
        (terms(5), 24),  # Fri Sat Sun Mon Tue
        (terms(5, first=False), 25),  # Sat Sun Mon Tue Wed
        (terms(5, free_in=WORKING), 27),  # Fri Mon Tue (Wed is a holiday) Thu Fri
        (terms(5, first=False, free_in=WORKING), 30),  # Mon Tue Thu Fri Mon
        (terms(1), 20),
        (terms(0), 19),
        (terms(0, first=False), 20),
        (terms(1, first=False, free_in=WORKING), 23),
    ],
)
def test_the_last_free_day(what, until):
    assert last_free_day(what, FRIDAY, HOLIDAY) == day(until)


@pytest.mark.parametrize(
    ("what", "ended", "today", "paid", "cost", "following"),
    [
        (terms(), None, 24, 0, "0.00", "80"),  # the last free day
        (terms(), None, 25, 1, "80.00", "80"),  # the first paid one
        (terms(), None, 27, 3, "240.00", "120"),
        (terms(), None, 28, 4, "360.00", "120"),
        (terms(), 26, 30, 2, "160.00", "0"),  # it was back on the 26th, and that day counts
        (terms(), 22, 30, 0, "0.00", "0"),
        (terms(), None, 20, 0, "0.00", "80"),
        (terms(paid_in=WORKING), None, 30, 3, "240.00", "120"),  # Thu Fri Mon; Wed is a holiday
        (terms(free_in=WORKING, paid_in=CALENDAR), None, 29, 2, "160.00", "80"),  # Sat Sun cost
        (terms(0), None, 20, 1, "80.00", "80"),
        (terms(tiers=(Tier(1, D("33.335")),), currency="JPY"), None, 26, 2, "67", "33.335"),
    ],
)
def test_what_it_has_cost_and_costs_next(what, ended, today, paid, cost, following):
    found = clock(what, FRIDAY, day(ended) if ended else None, day(today), HOLIDAY)
    assert (found.paid_days, str(found.cost), str(found.next_day)) == (paid, cost, following)
    assert found.running == (ended is None)


def test_an_end_that_is_to_come_has_not_ended_it():
    found = clock(terms(), FRIDAY, day(29), day(26), HOLIDAY)
    assert (found.paid_days, found.running) == (2, True)


@given(some.integers(0, 40), some.booleans(), some.integers(0, 90), some.sampled_from([CALENDAR, WORKING]))
def test_a_longer_stand_never_costs_less(free, first, stand, days_in):
    what = terms(free, first, days_in, days_in)
    before = clock(what, FRIDAY, None, date.fromordinal(FRIDAY.toordinal() + stand), HOLIDAY)
    after = clock(what, FRIDAY, None, date.fromordinal(FRIDAY.toordinal() + stand + 1), HOLIDAY)
    assert after.cost - before.cost in (0, before.next_day)
    assert (before.cost == 0) == (before.paid_days == 0)


@pytest.mark.parametrize(
    ("text", "words"),
    [
        ("", "begin with day 1"),
        ("2: 80", "begin with day 1"),
        ("1: 80; 1: 90", "later and later"),
        ("1: 80; 6: 120; 4: 100", "later and later"),
        ("x: 80", "day's number"),
        ("1: eighty", "no price"),
        ("1: -5", "no price from 0"),
        ("1", "no price"),
    ],
)
def test_tiers_that_are_none(text, words):
    with pytest.raises(ValueError, match=words):
        read_tiers(text)
