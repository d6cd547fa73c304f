"""The dock's count: what is short or over, and who may say so."""

from decimal import Decimal as D

import pytest
from hypothesis import given
from hypothesis import strategies as st

from northing.core.receiving.counts import (
    Counted,
    Expected,
    Taking,
    counting_problems,
    divided,
    short_percent,
    taking,
    under_allowed,
)

ZERO = D(0)


def expected(place="landed", under=None, over="2", accounted=0):
    return Expected(place, D(100), D(accounted), ZERO, D(over), under_tolerance=None if under is None else D(under))


@pytest.mark.parametrize(
    ("place", "under", "count", "said", "outcome"),
    [
        # Without an allowance the dock closes whatever is short.
        ("landed", None, 40, {"still_coming": False}, {"missing": 60}),
        ("with_supplier", None, 40, {"still_coming": False}, {"dropped": 60}),
        # Within it, too; beyond it the buyer is asked, and nothing moves.
        ("landed", "3", 97, {"still_coming": False}, {"missing": 3}),
        ("landed", "3", 96, {"still_coming": False}, {"asked": 4}),
        ("with_supplier", "0", 99, {"still_coming": False}, {"asked": 1}),
        ("landed", "3", 96, {"still_coming": False, "may_decide": True}, {"asked": 4}),
        ("landed", "3", 96, {"still_coming": False, "may_decide": True, "accepted": True}, {"missing": 4}),
        # What is still coming is never asked about; what is in dispute is missing wherever it was.
        ("landed", "3", 50, {"still_coming": True}, {}),
        ("landed", "3", 50, {"still_coming": True, "not_there": True}, {"back": 50}),
        ("with_supplier", "3", 50, {"still_coming": True, "not_there": True}, {}),
        ("with_supplier", "3", 50, {"still_coming": None, "in_dispute": True}, {"missing": 50}),
        # What is more than allowed is held, and only that.
        ("landed", None, 105, {"still_coming": None, "hold": True}, {"held": 3}),
        ("landed", None, 102, {"still_coming": None, "hold": True}, {"held": 0}),
    ],
)
def test_what_becomes_of_a_count(place, under, count, said, outcome):
    result = taking(expected(place, under), Counted(D(count), **said))
    found = {name: getattr(result, name) for name in ("missing", "dropped", "back", "asked", "held")}
    assert found == dict.fromkeys(found, ZERO) | {name: D(units) for name, units in outcome.items()}
    assert result.quantity + result.held == count


@pytest.mark.parametrize(
    ("count", "said", "strengths"),
    [
        (103, {}, ["block"]),
        (103, {"may_decide": True}, ["ask"]),
        (103, {"may_decide": True, "accepted": True}, ["warn"]),
        (103, {"accepted": True}, ["block"]),
        (103, {"hold": True}, []),
        (90, {}, ["ask"]),
        (90, {"in_dispute": True}, []),
        (100, {}, []),
    ],
)
def test_who_may_take_more(count, said, strengths):
    problems = counting_problems(expected(), Counted(D(count), None, **said), "row-1", "short-1")
    assert [problem.strength for problem in problems] == strengths


def test_what_is_over_says_how_much_to_hold():
    (problem,) = counting_problems(expected(), Counted(D(110), None), "row-1", "short-1")
    assert problem.what == "110 is more than the 100 still expected and the tolerance of 2 % allow."
    assert problem.mend == "Receive at most 102, or hold the 8 beyond it for the buyer."


def test_allowances_are_whole_units_of_the_whole():
    assert under_allowed(expected(under="3.99")) == 3 and under_allowed(expected()) is None
    assert short_percent(expected(), D("12.345")) == D("12.35")
    assert short_percent(Expected("landed", ZERO, ZERO, ZERO, ZERO), D(1)) == 0


@given(st.lists(st.integers(0, 60), min_size=1, max_size=5), st.booleans(), st.booleans())
def test_rows_add_up_to_the_whole(quantities, hold, dispute):
    counted = Counted(D(sum(quantities)), False, in_dispute=dispute, hold=hold)
    whole = taking(expected(under="5"), counted)
    rows = divided(whole, [D(units) for units in quantities])
    assert [row.quantity + row.held for row in rows] == quantities
    assert sum(row.held for row in rows) == whole.held and sum(row.quantity for row in rows) == whole.quantity
    for place in ("landed", "excess"):
        assert sum(row.of(place) for row in rows) == whole.of(place)
    assert rows[-1] == Taking(rows[-1].received, whole.missing, whole.dropped, whole.back, whole.asked, rows[-1].held)
