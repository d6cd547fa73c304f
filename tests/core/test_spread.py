"""Shares add up, follow the weights, and ties go to the earlier line."""

from decimal import Decimal as D
from fractions import Fraction

import pytest
from hypothesis import given
from hypothesis import strategies as some

from northing.core.money.spread import NothingToSpreadOver, share_so_far, spread, whole_weights

# Few lines go the exact way at once, many by floating point where that is proved; few different weights make ties.
WEIGHTS = some.one_of(
    some.lists(some.integers(0, 10**12), min_size=1, max_size=40),
    some.lists(some.integers(0, 10**12), min_size=64, max_size=140),
    some.lists(some.integers(0, 3), min_size=64, max_size=140),
    some.lists(some.integers(10**30, 10**30 + 3), min_size=64, max_size=80),
).filter(any)


@given(some.integers(-(10**15), 10**15), WEIGHTS)
def test_shares_sum_and_stay_within_one_unit(units, weights):
    shares = spread(units, weights)
    assert sum(shares) == units
    whole = sum(weights)
    for share, weight in zip(shares, weights, strict=True):
        assert abs(share * whole - units * weight) < whole
        assert weight or share == 0


@given(some.integers(1, 10**9), WEIGHTS)
def test_the_units_left_over_go_to_the_largest_remainders(units, weights):
    whole = sum(weights)
    shares = spread(units, weights)
    remainders = [units * weight % whole for weight in weights]
    got = [share > units * weight // whole for share, weight in zip(shares, weights, strict=True)]
    order = sorted(range(len(weights)), key=lambda place: (-remainders[place], place))
    assert {place for place in range(len(weights)) if got[place]} == set(order[: sum(got)])


@given(some.integers(0, 10**9), WEIGHTS)
def test_a_negative_amount_is_the_negated_spread(units, weights):
    assert spread(-units, weights) == [-share for share in spread(units, weights)]


@pytest.mark.parametrize("units", [1, 5_000, 10**9 + 7, 10**15])
@pytest.mark.parametrize("spacing", [1, 7919, 10**7 + 19])
def test_many_lines_come_out_as_by_fractions(units, spacing):
    weights = [place * spacing % 10_007 + 1 for place in range(1_000)]
    assert spread(units, weights) == _by_fractions(units, weights)


def test_weights_beyond_any_float_are_spread_exactly():
    assert spread(65 * 10**400, [10**400] * 65) == [10**400] * 65


def test_amounts_too_large_for_floating_point_are_spread_exactly():
    weights = list(range(1, 101))
    assert spread(10**20 + 1, weights) == _by_fractions(10**20 + 1, weights)


def _by_fractions(units, weights):
    exact = [Fraction(units * weight, sum(weights)) for weight in weights]
    shares = [int(share) for share in exact]
    for place in sorted(range(len(weights)), key=lambda place: (-(exact[place] % 1), place))[: units - sum(shares)]:
        shares[place] += 1
    return shares


def test_zero_weights_only_carry_zero():
    assert spread(0, [0, 0]) == [0, 0]
    with pytest.raises(NothingToSpreadOver):
        spread(1, [0, 0])


@given(some.lists(some.decimals(0, 10**6, places=6), min_size=1, max_size=20))
def test_whole_weights_keep_their_proportions(weights):
    whole = whole_weights(weights)
    for a, b in zip(weights, whole, strict=True):
        assert Fraction(a) * max(whole) == Fraction(max(weights)) * b


def test_no_weights_are_no_weights():
    assert whole_weights([]) == []


@given(some.integers(-(10**9), 10**9), some.lists(some.integers(1, 500), min_size=1, max_size=12))
def test_parts_taken_one_after_another_add_up(total, parts):
    whole, cumulative, taken = D(sum(parts)), D(0), 0
    for part in parts:
        cumulative += part
        taken += share_so_far(total, cumulative, whole) - taken
    assert taken == total


def test_beyond_the_whole_nothing_more_is_taken():
    assert share_so_far(1000, D(12), D(10)) == 1000
    with pytest.raises(NothingToSpreadOver):
        share_so_far(1000, D(1), D(0))
