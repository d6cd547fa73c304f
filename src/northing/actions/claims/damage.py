"""Goods that were damaged when they came: a case is opened with the receipt, and goes with it."""

from collections.abc import Iterable, Mapping

from northing.access.acts import Act
from northing.actions.claims.set_aside import Aside, put_aside, unset
from northing.actions.worklist.refresh import bring_along
from northing.claims.models import Claim
from northing.inventory.operations import in_states
from northing.ledger.models import CostLayer

# What the history calls it.
DAMAGED = "damaged"


def open_damaged(act: Act, layers: Iterable[CostLayer], serials: Mapping[int, tuple[str, ...]]) -> list[int]:
    """All of each layer is rejected as damaged, in a case of its own; `serials` by layer (id). Returns cases' ids."""
    by_key = {layer.pk: layer for layer in layers}
    held = {key: states["held"] for key, states in in_states(by_key, ["held"]).items() if states}
    if not held:
        return []
    rows = [Aside(by_key[key], [("held", units)], serials.get(key, ())) for key, units in held.items()]
    cases = put_aside(act, rows, "damaged at the dock", rows[0].layer.occurred_on, DAMAGED)
    opened = [case.pk for case in cases]
    bring_along(layers=list(held), cases=opened)
    return opened


def not_damaged(act: Act, layers: Iterable[int], reason: str) -> None:
    """The receipt of layers (ids) is reversed: cases that it opened never were, where nothing stands on them."""
    found = Claim.objects.filter(layer__in=list(layers), opened_by__action=DAMAGED, withdrawn_at=None, ended=0)
    for case in found.filter(authorised=0).select_related("opened_by").order_by("pk"):
        unset(act, case, reason)
