"""Cost layers: what leaves a layer and at what cost, and what a late cost does to it.

Quantities are Decimals in the item's base unit, costs are whole minor units of base currency.
"""

from collections.abc import Hashable, Mapping
from dataclasses import dataclass
from decimal import Decimal

from northing.core.money.spread import share_so_far, spread, whole_weights


class NotThatMuch(ValueError):
    """More was to leave the layer than it holds."""


@dataclass(frozen=True, slots=True)
class Layer:
    """Goods received together: quantity received and gone, cost in all and taken so far."""

    received: Decimal
    gone: Decimal
    total: int
    taken: int
    goods: int
    goods_taken: int


@dataclass(frozen=True, slots=True)
class Taken:
    """The cost that goes with a quantity; `goods` is the part of `cost` that is goods price."""

    cost: int
    goods: int


def take(layer: Layer, quantity: Decimal) -> Taken:
    """The cost of the next `quantity`: round(total x cumulative / received) less what was taken.

    Raises NotThatMuch beyond what remains.

    >>> layer = Layer(Decimal(3), Decimal(0), total=1000, taken=0, goods=700, goods_taken=0)
    >>> take(layer, Decimal(1))
    Taken(cost=333, goods=233)
    """
    gone = layer.gone + quantity
    if quantity <= 0 or gone > layer.received:
        raise NotThatMuch(f"{quantity} of {layer.received - layer.gone}")
    return Taken(
        cost=share_so_far(layer.total, gone, layer.received) - layer.taken,
        goods=share_so_far(layer.goods, gone, layer.received) - layer.goods_taken,
    )


@dataclass(frozen=True, slots=True)
class Revalued:
    """A late cost of a layer: the part for what is still there, and for what is gone by how it went."""

    stock: int
    variance: Mapping[Hashable, int]


def revalue(layer: Layer, late: int, gone_by_reason: Mapping[Hashable, Decimal]) -> Revalued:
    """Split a `late` cost (may be negative) between the units still there and those gone.

    The part for the gone is round(new total x gone / received) less what was taken, so that later
    takes go on by the same rule; it is spread over the ways they went by quantity.

    >>> layer = Layer(Decimal(10), Decimal(4), total=1000, taken=400, goods=700, goods_taken=280)
    >>> revalue(layer, 105, {"issued": Decimal(3), "returned": Decimal(1)})
    Revalued(stock=63, variance={'issued': 32, 'returned': 10})
    """
    if not layer.gone:
        return Revalued(late, {})
    for_gone = share_so_far(layer.total + late, layer.gone, layer.received) - layer.taken
    reasons = [reason for reason, quantity in gone_by_reason.items() if quantity]
    shares = spread(for_gone, whole_weights([gone_by_reason[reason] for reason in reasons]))
    return Revalued(late - for_gone, {reason: share for reason, share in zip(reasons, shares, strict=True) if share})
