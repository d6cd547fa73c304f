"""Units of orders whose place changes as goods leave stock, or come back to it."""

from collections.abc import Sequence
from decimal import Decimal

from northing.actions.worklist.refresh import bring_along
from northing.activity.models import HistoryEntry
from northing.ledger.models import CostLayer
from northing.positions import operations as positions


def move_units(history: HistoryEntry, placed: Sequence[tuple[CostLayer, Decimal]], source: str, target: str) -> None:
    """Units of orders change their place; what was there before Northing has no order whose units would move."""
    ordered = [(layer, quantity) for layer, quantity in placed if layer.shipment_line]
    positions.move(
        history,
        [
            positions.MoveDraft(layer.shipment_line.instalment_id, source, target, quantity, layer.shipment_line_id)
            for layer, quantity in ordered
        ],
    )
    bring_along(layers=[layer.pk for layer, _ in ordered])
