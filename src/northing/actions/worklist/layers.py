"""Open matters of goods that are held: to be inspected, or (those without an order) to be decided about."""

from collections.abc import Iterable
from decimal import Decimal

from django.db.models import Sum

from northing.core.money.money import rounded
from northing.core.worklist import moves
from northing.inventory.models import OnHand
from northing.ledger.models import CostLayer
from northing.worklist.operations import MatterDraft, write_matters

ZERO = Decimal(0)


def refresh_layers(layers: Iterable[int]) -> None:
    """Layers with held units: quality's move; ours where they belong to no order, of the buyer they came for."""
    keys = list(layers)
    held = dict(
        OnHand.objects.filter(layer__in=keys, status="held").values_list("layer").annotate(total=Sum("quantity"))
    )
    drafts = []
    found = CostLayer.objects.filter(pk__in=keys, kind="stock")
    for layer in found.select_related("company", "receipt_line__stands_for__order"):
        quantity = held.get(layer.pk) or ZERO
        waits = _waits(layer) if quantity else None
        line = layer.receipt_line.stands_for if layer.receipt_line else None
        value = layer.value * quantity / layer.remaining if layer.remaining else ZERO
        drafts.append(
            MatterDraft(
                kind="layer",
                record=layer.pk,
                company=layer.company_id,
                move=waits,
                at_stake=rounded(value, layer.company.currency),
                person=line.order.buyer_id if line else None,
            )
        )
    write_matters(drafts)


DECIDE = {
    "unordered": "held, no order: tie, send back or keep",
    "excess": "held, too many: order, send back or keep",
    "other item": "held, another item: tie, send back or keep",
}


def _waits(layer: CostLayer) -> moves.Move:
    why = layer.receipt_line.why if layer.receipt_line else ""
    if why:
        return moves.Move(moves.US, DECIDE[why], layer.occurred_on)
    return moves.Move(moves.QUALITY, "held, to be inspected", layer.occurred_on)
