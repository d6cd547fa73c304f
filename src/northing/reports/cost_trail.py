"""The cost trail of a layer: how one unit came to cost what it costs."""

from dataclasses import dataclass
from decimal import Decimal

from northing.core.costing.landed_cost import unit_price_of
from northing.core.money.exact import divide
from northing.costing.models import Charge
from northing.drawings.figures import count, money, price
from northing.ledger.models import CostLayer, LayerCost, LayerTake

ZERO = Decimal(0)


@dataclass(frozen=True)
class Step:
    """A component of the cost: its amount for the layer, for one unit, and how it came about."""

    name: str
    how: str
    amount: Decimal
    per_unit: Decimal
    charge: Charge | None = None
    expected: bool = False


@dataclass(frozen=True)
class Trail:
    """The steps of a layer, and what has left it."""

    layer: CostLayer
    steps: list[Step]
    takes: list[LayerTake]
    unit: Decimal
    rounding: Decimal


def cost_trail(layer: CostLayer) -> Trail:
    """Steps in the order they were booked; parts per unit are rounded to 4 decimals, the difference is shown."""
    amounts: dict[int | None, Decimal] = {}
    charges: dict[int | None, Charge | None] = {}
    for cost in (
        LayerCost.objects.filter(layer=layer)
        .select_related("charge__payee")
        .prefetch_related("charge__bill_lines__bill")
        .order_by("pk")
    ):
        amounts[cost.charge_id] = amounts.get(cost.charge_id, ZERO) + cost.amount
        charges[cost.charge_id] = cost.charge
    steps = [_step(layer, charges[key], amount) for key, amount in amounts.items() if amount]
    unit = unit_price_of(layer.total_cost, layer.received)
    rounding = unit - sum((step.per_unit for step in steps), ZERO)
    takes = list(layer.takes.select_related("entry").order_by("pk"))
    return Trail(layer, steps, takes, unit, rounding)


def _step(layer: CostLayer, charge: Charge | None, amount: Decimal) -> Step:
    per_unit = divide(amount, layer.received, 4) if layer.received else ZERO
    if charge is None:
        return Step("Goods", _goods_words(layer), amount, per_unit)
    state = f"bill {charge.bill_numbers}" if charge.billed is not None else "estimate, not billed yet"
    if charge.kind in (Charge.Kind.DUTY, Charge.Kind.IMPORT_TAX):
        state = "by the customs entry"
    elif charge.billed is not None and charge.rest:
        state += f", {money(charge.rest, charge.currency)} of it still expected"
    words = (
        f"{charge.currency} {money(charge.amount, charge.currency)} of {charge.payee} {charge.spread_words}; {state}"
    )
    return Step(charge.get_kind_display(), words, amount, per_unit, charge, charge.expected)


def _goods_words(layer: CostLayer) -> str:
    if layer.shipment_line is None:
        return "opening value"
    part, line = layer.shipment_line, layer.shipment_line.instalment.line
    rate = part.goods_rate or (layer.receipt_line.recognised_rate if layer.receipt_line else None)
    words = f"{line.order.currency} {price(part.instalment.pack_price, line.order.currency)} for 1 {line.pack}"
    off = (1 - part.instalment.net_share) * 100
    if off:
        words += f" {'less' if off > 0 else 'plus'} {count(abs(off))} %"
    if rate:
        words += f", at {price(rate, 4)}"
    return words + (f" of {part.ours_on:%-d %b %Y}" if part.ours_on else "")
