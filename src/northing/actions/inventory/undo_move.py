"""Undo a move: its goods lie where they lay, or are on their way again."""

from collections.abc import Iterator
from decimal import Decimal

from northing.access.acts import Act
from northing.actions.inventory.move import follow_site
from northing.actions.reversal import ReverseRequest, refuse_reversal
from northing.activity.operations import Link, add_history, once
from northing.inventory import operations
from northing.inventory.models import BinMove, StockMovement, TransferLine
from northing.ledger.models import CostLayer


@once
def undo_move(act: Act, request: ReverseRequest) -> int:
    """Undo a move, as one act. Refused once its goods lie elsewhere, or have left stock. Returns its id."""
    found = BinMove.objects.select_for_update(of=("self",)).select_related("site", "history")
    move = found.get(pk=request.record)
    act.require_at("issue_stock", move.company_id, move.site_id)
    refuse_reversal("move", move.undone_by_id, request.reason)
    keys = move.history.links.filter(kind="layer").values_list("record", flat=True)
    layers = list(CostLayer.objects.select_for_update(of=("self",)).filter(pk__in=list(keys)).order_by("pk"))
    links: list[Link] = [("layer", layer.pk, layer.company_id) for layer in layers]
    links += [("item", layer.item_id, layer.company_id) for layer in layers]
    history = add_history(act, "undo_move", f"Undone: {move.history.text}; {request.reason.strip()}", links)
    operations.turn_back(history, move.history)
    follow_site(layers)
    operations.mark_undone(move, history)
    if move.transfer_id:
        operations.end_lines([(line, -units) for line, units in _arrived(move)])
    return move.pk


def _arrived(move: BinMove) -> Iterator[tuple[TransferLine, Decimal]]:
    """The lines of the transfer with the units that this move brought in; their rows are locked."""
    lines = list(TransferLine.objects.select_for_update().filter(transfer=move.transfer_id).order_by("pk"))
    for one in StockMovement.objects.filter(history=move.history).order_by("pk"):
        left = one.quantity
        for line in lines:
            if (line.layer_id, line.dock_id, line.status) == (one.layer_id, one.source_id, one.target_status):
                part = min(left, line.ended)
                left -= part
                if part:
                    yield line, part
