"""Covers what fits in a container, and a loading that is proposed, held against the plain way of first-fit."""

import random
import time
from decimal import Decimal as D

import pytest
from hypothesis import given
from hypothesis import strategies as st

from northing.core.planning import loading
from northing.core.planning.loading import (
    DRY,
    TYPES,
    Part,
    cost_of,
    fill_of,
    fill_problems,
    first_fit,
    most_that_fits,
    propose,
)

DRY_TYPES = [TYPES[code] for code in DRY]
SMALL = TYPES["22G1"]


def part(key, quantity, volume="0.1", weight="10", order=1, step=1, **more):
    return Part(key, order, D(quantity), D(step), D(volume), D(weight), **more)


def held(boxes):
    """Quantities by part, over all boxes."""
    found = {}
    for box in boxes:
        for key, quantity in box.rows:
            found[key] = found.get(key, D(0)) + quantity
    return found


def check(boxes, parts):
    """Everything is loaded, once; nothing is over a limit; what must not meet does not."""
    by_key = {one.key: one for one in parts}
    assert held(boxes) == {one.key: one.quantity for one in parts}
    for box in boxes:
        some = [by_key[key] for key, _ in box.rows]
        volume = sum(quantity * by_key[key].volume for key, quantity in box.rows)
        weight = sum(quantity * by_key[key].weight for key, quantity in box.rows)
        assert volume <= box.type.volume
        assert weight <= box.type.payload
        assert len({one.destination for one in some}) == 1
        if any(one.apart for one in some):
            assert len({one.group for one in some}) == 1


@pytest.mark.parametrize(
    ("volume", "weight", "wanted", "most"),
    [
        # A cubic tenth each, ten kilos each: 28 m3 hold 280, 2,000 kg only 200; in packs of 12 that is 192.
        (D(28), None, 300, 276),
        (D(28), D(2000), 300, 192),
        (D(28), D(2000), 200, 200),  # all of it fits, though it is no whole number of packs
        (None, None, 300, 300),
        (D(0), None, 300, 0),
        (D("-1"), None, 300, 0),  # fuller than it should be: nothing more
    ],
)
def test_most_that_fits(volume, weight, wanted, most):
    assert most_that_fits(part(1, 500, step=12), D(wanted), volume, weight) == most


def test_goods_without_a_measure_fit_anywhere():
    assert most_that_fits(part(1, 5, volume="0", weight="0"), D(5), D(0), D(0)) == 5


def test_too_full_and_too_heavy_are_warnings_in_words():
    fill = fill_of([(D(300), D("0.1"), D(80))], D(28), D(21700))
    found = fill_problems("QXNU1", fill, "box-0")
    assert [str(one) for one in found] == [
        "QXNU1 holds 30 of 28 m3. Move something into another container.",
        "QXNU1 weighs 24000 kg, above its payload of 21700 kg. Move something into another container.",
    ]
    assert {one.strength for one in found} == {"warn"}
    assert not fill_problems("QXNU1", fill_of([(D(280), D("0.1"), D(1))], D(28), D(21700)), "")
    loose = fill_of([(D(999), D(9), D(9))], None, None)
    assert (loose.by_volume, loose.by_weight, fill_problems("P", loose, "")) == (None, None, [])


@pytest.mark.parametrize(
    ("volume", "weight", "charged"),
    [("6", "900", "1000.0"), ("5.4", "900", "900.0"), ("0", "0.1", "0.5"), ("1", "166.6", "167.0")],
)
def test_air_freight_is_charged_by_the_greater(volume, weight, charged):
    assert loading.chargeable_weight(D(volume), D(weight)) == D(charged)


@pytest.mark.parametrize(
    ("parts", "types", "boxes"),
    [
        # 27 m3: one 20 foot. 57 m3: one 40 foot. 66 m3: a high cube; 80 m3 cheaper as 20 + 40 foot than two large.
        ([part(1, 270)], DRY_TYPES, ["22G1"]),
        ([part(1, 570)], DRY_TYPES, ["42G1"]),
        ([part(1, 660)], DRY_TYPES, ["45G1"]),
        ([part(1, 800)], DRY_TYPES, ["22G1", "42G1"]),
        # 10 m3 of 40 t: weight decides, and two 20 foot hold more of it for the money than a 40 foot.
        ([part(1, 100, weight="400")], DRY_TYPES, ["22G1", "22G1"]),
        # Two destinations share nothing; goods that stay apart neither, whatever their order.
        ([part(1, 10), part(2, 10, destination=2)], DRY_TYPES, ["22G1", "22G1"]),
        ([part(1, 10, group="tea", apart=True), part(2, 10, group="kettles")], DRY_TYPES, ["22G1", "22G1"]),
        ([part(1, 10, group="tea", apart=True), part(2, 10, group="tea")], DRY_TYPES, ["22G1"]),
        ([], DRY_TYPES, []),
        ([part(1, 0)], DRY_TYPES, []),
    ],
)
def test_which_containers(parts, types, boxes):
    found = propose(parts, types)
    assert sorted(box.type.code for box in found) == boxes
    check(found, [one for one in parts if one.quantity])


def test_an_order_is_kept_together():
    # Three orders of 14 m3 into two 20 foot of 28: two whole ones in one, the third in the other.
    orders = [part(10 * order + line, 70, order=order) for line in (1, 2) for order in (1, 2, 3)]
    found = propose(orders, [SMALL])
    assert cost_of(found, orders) == (D(2), 0, 0)
    assert cost_of(first_fit(orders, [SMALL]), orders)[1] > 0


def test_what_fits_nowhere_is_said():
    with pytest.raises(ValueError, match="one pack of part 7 is larger"):
        propose([part(7, 1, volume="70")], DRY_TYPES)
    with pytest.raises(ValueError, match="one pack of part 7 is larger"):
        first_fit([part(7, 1, volume="70")], DRY_TYPES)
    with pytest.raises(ValueError, match="no container type"):
        propose([part(7, 1)], [])


PARTS = st.lists(
    st.builds(
        lambda *row: row,
        st.integers(1, 5),
        st.integers(1, 90),
        st.sampled_from([1, 6, 24]),
        st.sampled_from(["0", "0.0025", "0.0171", "0.3"]),
        st.sampled_from(["0", "0.15", "4.1", "90"]),
        st.sampled_from(["tea", "kettles", "paper"]),
        st.integers(1, 2),
    ),
    max_size=14,
)


@given(PARTS)
def test_a_proposal_holds_everything_and_is_never_dearer_than_first_fit(rows):
    parts = [
        part(key, packs * step, volume, weight, order, step, group=group, apart=group == "tea", destination=destination)
        for key, (order, packs, step, volume, weight, group, destination) in enumerate(rows)
    ]
    found = propose(parts, DRY_TYPES)
    check(found, parts)
    check(first_fit(parts, DRY_TYPES), parts)
    assert cost_of(found, parts)[0] <= cost_of(first_fit(parts, DRY_TYPES), parts)[0]


def five_hundred(seed):
    chance = random.Random(seed)
    for key in range(500):
        group = chance.choice(["tea", "kettles", "paper", "ceramics"])
        yield part(
            key,
            24 * chance.randint(5, 90),
            chance.choice(["0.0171", "0.00576", "0.0025", "0.0006", "0.031"]),
            chance.choice(["1.7", "0.45", "0.15", "4.1"]),
            order=chance.randrange(160),
            step=chance.choice([1, 12, 24]),
            group=group,
            apart=group == "tea",
            destination=chance.randrange(2),
        )


@pytest.mark.parametrize("seed", [1, 2, 3])
def test_five_hundred_lines_better_than_first_fit_in_under_two_seconds(seed):
    parts = list(five_hundred(seed))
    started = time.perf_counter()
    found = propose(parts, DRY_TYPES)
    assert time.perf_counter() - started < 2
    check(found, parts)
    cost, orders, _ = cost_of(found, parts)
    plain_cost, plain_orders, _ = cost_of(first_fit(parts, DRY_TYPES), parts)
    assert cost < plain_cost
    assert orders < plain_orders
