"""Layers: what leaves takes its part, what comes late finds stock and what has gone."""

from decimal import Decimal as D

import pytest
from hypothesis import given
from hypothesis import strategies as some

from northing.core.costing.layers import Layer, NotThatMuch, revalue, take
from northing.core.money.spread import share_so_far


def after(layer, quantity, taken):
    return Layer(
        layer.received,
        layer.gone + quantity,
        layer.total,
        layer.taken + taken.cost,
        layer.goods,
        layer.goods_taken + taken.goods,
    )


@given(
    some.integers(0, 10**8),
    some.lists(some.integers(1, 90), min_size=1, max_size=8),
    some.integers(-5000, 5000),
    some.data(),
)
def test_takes_and_late_costs_always_add_up(total, parts, late, data):
    received = D(sum(parts))
    layer = Layer(received, D(0), total, 0, total // 2, 0)
    out, at = 0, data.draw(some.integers(0, len(parts)))
    for index, part in enumerate(parts):
        if index == at:
            revalued = revalue(layer, late, {"issued": layer.gone})
            assert revalued.stock + sum(revalued.variance.values()) == late
            gone_cost = layer.taken + sum(revalued.variance.values())
            assert gone_cost == share_so_far(total + late, layer.gone, received)
            layer = Layer(received, layer.gone, layer.total + late, gone_cost, layer.goods, layer.goods_taken)
            out += sum(revalued.variance.values())
        taken = take(layer, D(part))
        layer, out = after(layer, D(part), taken), out + taken.cost
    assert layer.taken == layer.total == out
    assert layer.goods_taken == layer.goods


@pytest.mark.parametrize("quantity", ["0", "-1", "6.5", "100"])
def test_more_than_remains_or_nothing_is_refused(quantity):
    with pytest.raises(NotThatMuch):
        take(Layer(D(10), D(4), 100, 40, 60, 24), D(quantity))


def test_variance_goes_by_how_the_goods_went_and_skips_ways_unused():
    layer = Layer(D(3), D(3), 900, 900, 900, 900)
    revalued = revalue(layer, 10, {"issued": D(1), "returned": D(2), "scrapped": D(0)})
    assert (revalued.stock, dict(revalued.variance)) == (0, {"issued": 3, "returned": 7})


def test_late_cost_of_an_untouched_layer_is_all_stock():
    assert revalue(Layer(D(3), D(0), 900, 0, 900, 0), 10, {}).stock == 10
