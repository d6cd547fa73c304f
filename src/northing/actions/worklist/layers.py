"""Open matters of goods that are held: to be inspected, or (those without an order) to be decided about."""

from collections.abc import Iterable
from decimal import Decimal

from django.db.models import Q, Sum

from northing.actions.worklist.cases import refresh_cases
from northing.claims import operations as claims
from northing.claims.models import Claim
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
    drafts, decided = [], _follow_decisions(keys)
    found = CostLayer.objects.filter(pk__in=keys, kind="stock")
    for layer in found.select_related("company", "receipt_line__stands_for__order"):
        quantity = held.get(layer.pk) or ZERO
        # Of goods without an order their case says what waits.
        waits = _waits(layer) if quantity and layer.pk not in decided else None
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
    if decided:
        refresh_cases(decided.values())


def _follow_decisions(layers: Iterable[int]) -> dict[int, int]:
    """By layer (id), the case of its goods that belong to no order; its units end as they are decided about."""
    found = Claim.objects.filter(layer__in=list(layers), kind__in=Claim.OF_NO_ORDER, withdrawn_at=None)
    said = Sum("layer__receipt_line__decisions__quantity", filter=Q(layer__receipt_line__decisions__reversed_by=None))
    rows = list(found.order_by("pk").values_list("pk", "layer", "ended").annotate(units=said))
    claims.end_by_decisions({case: units or ZERO for case, _, ended, units in rows if ended != (units or ZERO)})
    return {layer: case for case, layer, _, _ in rows}


def _waits(layer: CostLayer) -> moves.Move:
    return moves.Move(moves.QUALITY, "held, to be inspected", layer.occurred_on)
