"""Open matters of goods that are held."""

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
    """Layers with held units: quality's move."""
    keys = list(layers)
    held = dict(
        OnHand.objects.filter(layer__in=keys, status="held").values_list("layer").annotate(total=Sum("quantity"))
    )
    drafts = []
    for layer in CostLayer.objects.filter(pk__in=keys, kind="stock").select_related("company"):
        quantity = held.get(layer.pk) or ZERO
        waits = moves.Move(moves.QUALITY, "held, to be inspected", layer.occurred_on) if quantity else None
        value = layer.value * quantity / layer.remaining if layer.remaining else ZERO
        drafts.append(
            MatterDraft(
                kind="layer",
                record=layer.pk,
                company=layer.company_id,
                move=waits,
                at_stake=rounded(value, layer.company.currency),
            )
        )
    write_matters(drafts)
