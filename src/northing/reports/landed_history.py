"""What an item cost landed, receipt by receipt, and what moved it; without a margin, and without what went back."""

from collections.abc import Collection
from dataclasses import dataclass, field
from decimal import Decimal

from django.db.models import F, Sum

from northing.core.costing.landed_cost import unit_price_of
from northing.costing.models import Charge
from northing.ledger.models import CostLayer, LayerCost, LayerTake

ZERO = Decimal(0)
# The newest receipts that are drawn.
MOST = 200
WORDS = dict(Charge.Kind.choices)
GOODS, OPENING = "Goods", "Opening value"


@dataclass
class Step:
    """A receipt: units that stayed, the cost of one (4 decimals), its parts by name, and how each moved."""

    layer: CostLayer
    kept: Decimal
    unit: Decimal
    parts: dict[str, Decimal]
    moved: dict[str, Decimal] = field(default_factory=dict)

    @property
    def opening(self) -> bool:
        """Whether it was brought in as opening stock, whose parts are not known."""
        return self.layer.shipment_line_id is None

    @property
    def change(self) -> Decimal | None:
        """How much dearer one unit is than at the receipt before."""
        return sum(self.moved.values(), ZERO) if self.moved else None

    @property
    def mover(self) -> str:
        """The part that moved the cost most; empty where nothing did."""
        moved = max(self.moved.items(), key=lambda one: abs(one[1]), default=("", ZERO))
        return moved[0] if moved[1] else ""


def landed_history(item: int, companies: Collection[int]) -> dict[str, list[Step]]:
    """By company (code) the receipts of an item (id), the oldest first; a layer of which all went back is left out."""
    layers = CostLayer.objects.filter(item=item, company__in=companies, kind=CostLayer.Kind.STOCK, received__gt=0)
    layers = layers.select_related(
        "company", "receipt_line__receipt", "shipment_line__instalment__line__order__supplier"
    )
    newest = list(layers.order_by("-occurred_on", "-pk")[:MOST])[::-1]
    keys = [layer.pk for layer in newest]
    back = LayerTake.objects.filter(layer__in=keys, reason=LayerTake.Reason.RETURNED).values("layer")
    returned = dict(back.annotate(units=Sum("quantity")).values_list("layer", "units"))
    costs: dict[int, dict[str, Decimal]] = {}
    rows = LayerCost.objects.filter(layer__in=keys).values("layer", "component", kind=F("charge__kind"))
    for row in rows.annotate(total=Sum("amount")).order_by():
        name = WORDS.get(row["kind"] or "", GOODS)
        of_layer = costs.setdefault(row["layer"], {})
        of_layer[name] = of_layer.get(name, ZERO) + row["total"]
    found: dict[str, list[Step]] = {}
    for layer in newest:
        kept = layer.received - returned.get(layer.pk, ZERO)
        if kept > 0:
            some = found.setdefault(layer.company.code, [])
            some.append(_step(layer, kept, costs.get(layer.pk, {}), some[-1] if some else None))
    return found


def _step(layer: CostLayer, kept: Decimal, costs: dict[str, Decimal], before: Step | None) -> Step:
    if layer.shipment_line_id is None:
        # All that it ever cost, as it was brought in.
        costs = {OPENING: sum(costs.values(), ZERO)}
    parts = {name: unit_price_of(amount, layer.received) for name, amount in costs.items() if amount}
    step = Step(layer, kept, unit_price_of(layer.total_cost, layer.received), parts)
    if before is not None and not before.opening:
        names = dict.fromkeys((*before.parts, *parts))
        step.moved = {name: parts.get(name, ZERO) - before.parts.get(name, ZERO) for name in names}
    return step
