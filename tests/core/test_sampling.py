"""Sampling plans and switching, against worked examples of the standard."""

from decimal import Decimal as D

import pytest
from hypothesis import given
from hypothesis import strategies as st

from northing.core.quality.sampling import (
    AQLS,
    LEVELS,
    NORMAL,
    REDUCED,
    STATES,
    TIGHTENED,
    accepts_one_step_tighter,
    code_letter,
    plan,
)  # fmt: skip
from northing.core.quality.switching import Lot, Skipping, Standing, after, sealed, skips, standing


@pytest.mark.parametrize(
    ("lot", "level", "letter"),
    [
        (1, "II", "A"), (8, "II", "A"), (9, "II", "B"), (150, "II", "F"), (151, "II", "G"), (1_200, "II", "J"),
        (1_201, "II", "K"), (500_000, "II", "P"), (500_001, "II", "Q"), (8, "III", "B"), (500_001, "III", "R"),
        (1_200, "I", "G"), (1_200, "S-1", "C"), (1_200, "S-2", "C"), (1_200, "S-3", "E"), (1_200, "S-4", "F"),
        (35_001, "S-1", "D"), (150_001, "S-3", "G"), (500_001, "S-4", "K"),
    ],
)  # fmt: skip
def test_the_letter_of_a_lot(lot, level, letter):
    assert code_letter(lot, level) == letter


# lot at level II, AQL, then the sample and what is accepted of it: normal, tightened, reduced.
CASES = [
    (1_200, "1.0", (80, 2), (80, 1), (32, 1)),
    (1_200, "2.5", (80, 5), (80, 3), (32, 3)),
    (1_200, "4.0", (80, 7), (80, 5), (32, 5)),
    (1_200, "6.5", (80, 10), (80, 8), (32, 6)),
    (1_200, "15", (80, 21), (80, 18), (32, 10)),
    # From where 21 are accepted on, nothing more is: the arrow points up.
    (1_200, "25", (50, 21), (50, 18), (20, 10)),
    (1_200, "1000", (3, 44), (3, 41), (2, 30)),
    (1_200, "0.15", (80, 0), (125, 0), (32, 0)),
    (1_200, "0.25", (50, 0), (80, 0), (20, 0)),
    (1_200, "0.40", (125, 1), (200, 1), (50, 1)),
    (1_200, "0.65", (80, 1), (125, 1), (32, 1)),
    (1_200, "0.010", (1_200, 0), (1_200, 0), (500, 0)),
    (20, "1.0", (13, 0), (20, 0), (5, 0)),
    (20, "6.5", (8, 1), (13, 1), (3, 1)),
    (3_200, "1.0", (125, 3), (125, 2), (50, 2)),
    (500_001, "0.010", (1_250, 0), (2_000, 0), (500, 0)),
    (500_001, "0.025", (2_000, 1), (3_150, 1), (800, 1)),
    (90, "100", (13, 21), (13, 18), (5, 10)),
]


@pytest.mark.parametrize(("lot", "aql", "normal", "tightened", "reduced"), CASES)
def test_plans(lot, aql, normal, tightened, reduced):
    found = [plan(lot, "II", D(aql), state) for state in (NORMAL, TIGHTENED, REDUCED)]
    assert [(one.sample, one.accept) for one in found] == [normal, tightened, reduced]
    assert all(one.reject == one.accept + 1 and one.accepts(one.accept) for one in found)
    assert not found[0].accepts(found[0].reject) and found[0].letter == code_letter(lot, "II")


@given(
    st.integers(1, 10**7), st.sampled_from(LEVELS), st.sampled_from(AQLS), st.sampled_from(STATES)
)  # fmt: skip
def test_every_lot_has_a_plan_and_no_sample_is_larger(lot, level, aql, state):
    found = plan(lot, level, aql, state)
    assert 1 <= found.sample <= lot
    assert plan(lot, level, aql, TIGHTENED).accept <= plan(lot, level, aql).accept


@pytest.mark.parametrize(("lot", "level", "aql", "state"), [
    (0, "II", "1.0", NORMAL), (-5, "II", "1.0", NORMAL), (10, "IV", "1.0", NORMAL), (10, "II", "1.1", NORMAL),
    (10, "II", "0", NORMAL), (10, "II", "1.0", "lax"),
])  # fmt: skip
def test_what_stands_in_no_table_is_refused(lot, level, aql, state):
    with pytest.raises(ValueError, match="no "):
        plan(lot, level, D(aql), state)


def lots(*found, lot=1_200, aql="1.0", state=NORMAL):
    one = plan(lot, "II", D(aql), state)
    return [Lot(one, number, one.accepts(number)) for number in found]


# Non-conforming units of lots of 1,200 at AQL 1.0 (2 accepted), and what they lead to.
SWITCHES = [
    ((), NORMAL, 0), ((0, 0, 0), NORMAL, 9), ((3,), NORMAL, 0), ((3, 0, 0, 0, 3), TIGHTENED, 0),
    ((3, 0, 0, 0, 0, 3), NORMAL, 0), ((3, 3), TIGHTENED, 0), ((0,) * 9, NORMAL, 27), ((0,) * 10, REDUCED, 0),
    # One step tighter accepts one of them: two set the score back, though the lot is accepted.
    ((0, 0, 2, 0), NORMAL, 3), ((1,) * 10, REDUCED, 0), ((*(0,) * 10, 3), NORMAL, 0),
    ((3, 3, 0, 0, 0, 0, 0), NORMAL, 0), ((3, 3, 0, 0, 0, 0, 3, 0, 0, 0, 0), TIGHTENED, 0),
]  # fmt: skip


@pytest.mark.parametrize(("found", "state", "score"), SWITCHES)
def test_switching(found, state, score):
    now = standing(lots(*found))
    assert (now.state, now.score) == (state, score)
    assert now.why


def test_small_plans_count_two_for_each_lot_and_reduced_inspection_may_be_unwanted():
    assert standing(lots(*(0,) * 14, aql="0.15")).score == 28
    assert standing(lots(*(0,) * 15, aql="0.15")).state == REDUCED
    assert standing(lots(*(0,) * 40, aql="0.15"), may_reduce=False).state == NORMAL


def test_five_refused_under_tightened_inspection_stop_it():
    now = standing(lots(3, 3, 3, 0, 3, 3, 0, 3))
    assert now.state == TIGHTENED and now.refused == 4 and not now.stopped
    now = after(now, lots(3)[0])
    assert now.stopped and "five lots" in now.why


def test_one_step_tighter_with_the_same_letter():
    used = plan(1_200, "II", D("1.0"))
    assert [accepts_one_step_tighter(used, found) for found in (0, 1, 2)] == [True, True, False]
    assert not accepts_one_step_tighter(plan(10**6, "II", D("0.010")), 0)


def test_lots_are_skipped_after_so_many_good_ones_and_anybody_can_check_it():
    rule, good = Skipping(4, 5), standing(lots(0, 0, 0, 0))
    seeds = [str(number).encode() for number in range(1_000)]
    looked_at = sum(not skips(rule, good, seed) for seed in seeds)
    assert 150 < looked_at < 250
    assert skips(rule, good, seeds[1]) is skips(rule, good, seeds[1])
    assert not any(skips(rule, standing(lots(0, 0, 0)), seed) for seed in seeds)
    assert not any(skips(rule, standing(lots(0, 0, 0, 0, 3)), seed) for seed in seeds)
    assert not any(skips(rule, Standing(TIGHTENED, run=9), seed) for seed in seeds)
    assert sealed(b"a") == "ca978112ca1bbdcafac231b39a23dc4da786eff8147c4e72b9807785afee48bb"
