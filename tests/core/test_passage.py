"""Which date is believed, and how a slip runs on."""

from datetime import UTC, date, datetime, timedelta
from itertools import permutations

import pytest

from northing.core.planning.passage import PlannedLeg, Statement, believed, expected_legs, for_container

TODAY = date(2026, 11, 24)


def day(offset):
    return TODAY + timedelta(days=offset)


def said(kind, offset, hour=0, key=1):
    return Statement(kind, day(offset), datetime(2026, 11, 1, tzinfo=UTC) + timedelta(hours=hour), key)


@pytest.mark.parametrize(
    ("statements", "expected"),
    [
        ([], None),
        ([said("planned", 5)], (5, False)),
        ([said("planned", 5), said("estimated", 9)], (9, False)),
        ([said("estimated", 9, hour=2), said("estimated", 7, hour=3, key=2)], (7, False)),
        ([said("estimated", 9, hour=2), said("estimated", 7, hour=2, key=2)], (7, False)),
        ([said("actual", -3), said("estimated", 9, hour=9, key=2)], (-3, True)),
        ([said("estimated", -3)], (0, False)),
    ],
)
def test_actual_over_estimate_over_plan_newer_over_older(statements, expected):
    for order in permutations(statements):
        found = believed(order, TODAY)
        assert found == (expected and (day(expected[0]), expected[1]))


def legs(**said_of):
    """Road, sea, road: planned -10..-8, -7..13, 15..16."""
    plans = [(-10, -8), (-7, 13), (15, 16)]
    return [
        PlannedLeg(day(start), day(end), said_of.get(f"start{n}", ()), said_of.get(f"end{n}", ()))
        for n, (start, end) in enumerate(plans, 1)
    ]


@pytest.mark.parametrize(
    ("said_of", "expected"),
    [
        # Nothing happened though it should have: everything moves to today and on.
        ({}, [(0, 2), (3, 23), (25, 26)]),
        # The sea leg left three days late: the road leg is over, the rest follows.
        ({"start2": [said("actual", -4)]}, [(0, -4), (-4, 16), (18, 19)]),
        # An estimated arrival decides the dock.
        ({"start2": [said("actual", -7)], "end2": [said("estimated", 20)]}, [None, (-7, 20), (22, 23)]),
        # Early is early too.
        ({"start2": [said("actual", -7)], "end2": [said("estimated", 9)]}, [None, (-7, 9), (11, 12)]),
        # It arrived, so it had left.
        ({"end2": [said("actual", -1)]}, [None, (-7, -1), (1, 2)]),
    ],
)
def test_a_slip_runs_on_through_the_legs(said_of, expected):
    found = expected_legs(legs(**said_of), TODAY)
    for leg, want in list(zip(found, expected, strict=True))[1:]:
        assert ((leg.start - TODAY).days, (leg.end - TODAY).days) == want


def test_a_plan_that_somebody_says_shifts_like_ours():
    """The carrier plans the sea leg of 22 days instead of 20; it leaves three days late, and is there three later."""
    plan = {"start2": [said("planned", -7)], "end2": [said("planned", 14), said("planned", 15, hour=1, key=2)]}
    assert [(leg.end - TODAY).days for leg in expected_legs(legs(**plan), TODAY)][1:] == [25, 28]
    late = plan | {"start2": [*plan["start2"], said("actual", -4, key=3)]}
    assert [(leg.end - TODAY).days for leg in expected_legs(legs(**late), TODAY)][1:] == [18, 21]
    # An estimate goes before any plan.
    estimated = late | {"end2": [*plan["end2"], said("estimated", 16)]}
    assert (expected_legs(legs(**estimated), TODAY)[1].end - TODAY).days == 16


@pytest.mark.parametrize(
    ("discharged", "out", "dock"),
    [
        ([], [], 19),
        # What is said of the container goes before what is said of its vessel, earlier or later.
        ([said("estimated", 20)], [], 23),
        ([said("estimated", 8)], [], 11),
        ([said("actual", -1)], [], 2),
        # A plan does not.
        ([said("planned", 30)], [], 19),
        # It leaves the port on another day than its legs would have it.
        ([], [said("estimated", 22)], 23),
        ([said("actual", -2)], [said("actual", 0)], 1),
        # It has left, so that it was discharged by then.
        ([], [said("actual", -1)], 0),
    ],
)
def test_a_container_over_its_vessel(discharged, out, dock):
    """Its vessel left three days late and is there on day 16; then 1 day of waiting and 1 on the road."""
    plan = legs(start2=[said("actual", -4)])
    own = for_container(plan, 1, 2, discharged, out)
    assert (expected_legs(own, TODAY)[-1].end - TODAY).days == dock
    # Without a leg to leave with, what is said of leaving changes nothing.
    assert for_container(plan, 1, None, (), out) == list(plan)


def test_what_a_later_actual_implies_has_happened():
    found = expected_legs(legs(start2=[said("actual", -4)]), TODAY)
    assert [(leg.started, leg.ended) for leg in found] == [(True, True), (True, False), (False, False)]
    assert found[0].end <= day(-4)


def test_a_passage_never_runs_backwards():
    found = expected_legs(legs(start3=[said("estimated", 2)]), TODAY)
    assert found[2].start >= found[1].end
