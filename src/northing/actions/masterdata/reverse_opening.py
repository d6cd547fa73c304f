"""Reverse an opening: goods that a company began with by mistake."""

from northing.access.acts import Act
from northing.actions.reversal import ReverseRequest, refuse_reversal
from northing.actions.worklist.refresh import bring_along
from northing.activity.models import HistoryEntry
from northing.activity.operations import Link, add_history, once
from northing.core.money.exact import plain
from northing.core.problems import Problem, refuse_if
from northing.inventory import operations as inventory
from northing.inventory.models import Opening
from northing.ledger import operations as ledger
from northing.ledger.models import CostLayer, Entry
from northing.ledger.operations import open_entry
from northing.ledger.queries import posting_note
from northing.positions import operations as positions
from northing.reports.standing import on_layers
from northing.shipping import operations as shipping
from northing.shipping.models import ShipmentLine


@once
def reverse_opening(act: Act, request: ReverseRequest) -> int:
    """Undo an opening: stock leaves the books; goods afloat are with their supplier again. Returns its id."""
    found = Opening.objects.select_related("company", "entry", "layer__item", "shipment_line__instalment__line__item")
    opening = found.get(pk=request.record)
    act.require("begin", opening.company_id)
    if opening.shipment_line:
        shipping.lock([opening.shipment_line.container.shipment_id])
    layers = list(CostLayer.objects.select_for_update().filter(pk=opening.layer_id))
    opening.refresh_from_db(fields=["reversed_by"])
    refuse_reversal("opening", opening.reversed_by_id, request.reason)
    refuse_if(_problems(opening, layers))
    text = f"Reversed the opening of {_named(opening)}: {request.reason.strip()}"
    text += posting_note([opening.company_id], act.today)
    history = add_history(act, "reverse_opening", text, _links(opening), act.today)
    entry = open_entry(act, history, text, act.today, reverses=opening.entry)
    if opening.entry:
        ledger.mirror(entry, opening.entry, [layer.pk for layer in layers])
    inventory.mark_opening_reversed(opening, entry)
    if layers:
        _empty(history, entry, layers[0])
    else:
        _bring_back(history, opening.shipment_line)
    return opening.pk


def _problems(opening: Opening, layers: list[CostLayer]) -> list[Problem]:
    part = opening.shipment_line
    if part is not None and part.accounted:
        record = ("receipt", part.receipt_lines.order_by("-pk").first().receipt_id)
        return [Problem("The dock has received goods of it.", mend="Reverse that receipt first.", record=record)]
    if part is not None and part.shares.exists():
        record = ("charge", part.shares.first().charge_id)
        return [Problem("A charge lies on it.", mend="Reverse its bill, or end the estimate, first.", record=record)]
    found = on_layers(layers)
    if layers and layers[0].gone and not found:
        found = [Problem(f"{plain(layers[0].gone)} units have left stock since.")]
    return found


def _named(opening: Opening) -> str:
    item = opening.layer.item if opening.layer else opening.shipment_line.instalment.line.item
    return f"{plain(opening.quantity)} {item.unit} of {item.code}"


def _links(opening: Opening) -> list[Link]:
    company = opening.company_id
    if opening.layer:
        return [("item", opening.layer.item_id, company), ("layer", opening.layer_id, company)]
    part = opening.shipment_line
    return [("line", part.instalment.line_id, company), ("shipment", part.container.shipment_id, company)]


def _empty(history: HistoryEntry, entry: Entry, layer: CostLayer) -> None:
    inventory.clear_layers(history, [layer])
    ledger.add_costs(entry, [(layer.pk, None, ledger.component_of(None), -layer.total_cost)])
    ledger.empty_layers([layer.pk])


def _bring_back(history: HistoryEntry, part: ShipmentLine) -> None:
    """Goods afloat are with the supplier: their order stands, and is cancelled like any other."""
    move = positions.MoveDraft(part.instalment_id, part.place, "with_supplier", part.quantity, part.pk)
    positions.move(history, [move])
    shipment = part.container.shipment_id
    shipping.take_away([part])
    bring_along(instalments=[part.instalment_id], shipments=[shipment])
