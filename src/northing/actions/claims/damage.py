"""Goods that were damaged when they came: a case is opened with the receipt, and goes with it."""

from collections.abc import Iterable, Mapping

from northing.access.acts import Act
from northing.actions.claims.set_aside import put_aside, unset
from northing.claims.models import Claim
from northing.inventory.operations import in_state
from northing.ledger.models import CostLayer

# What the history calls it.
DAMAGED = "damaged"


def open_damaged(act: Act, layers: Iterable[CostLayer], serials: Mapping[int, tuple[str, ...]]) -> list[int]:
    """All of each layer is rejected as damaged, in a case of its own; `serials` by layer (id). Returns cases' ids."""
    made = []
    for layer in layers:
        units = in_state(layer, "held")
        if units:
            parts, numbers = [("held", units)], serials.get(layer.pk, ())
            case = put_aside(act, layer, parts, "damaged at the dock", layer.occurred_on, numbers, action=DAMAGED)
            made.append(case.pk)
    return made


def not_damaged(act: Act, layers: Iterable[int], reason: str) -> None:
    """The receipt of layers (ids) is reversed: cases that it opened never were, where nothing stands on them."""
    found = Claim.objects.filter(layer__in=list(layers), opened_by__action=DAMAGED, withdrawn_at=None, ended=0)
    for case in found.filter(authorised=0).select_related("opened_by").order_by("pk"):
        unset(act, case, reason)
