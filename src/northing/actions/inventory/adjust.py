"""Adjust stock after a count: what lies in a bin is what was counted, and the books follow."""

from collections import defaultdict
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date
from decimal import Decimal

from northing.access.acts import Act, future_problem
from northing.actions.inventory.units import move_units
from northing.actions.reversal import ReverseRequest, refuse_reversal
from northing.activity.models import HistoryEntry
from northing.activity.operations import Link, add_history, once
from northing.core.money.exact import divide, plain
from northing.core.money.money import minor_units
from northing.core.problems import Problem, Refused, refuse_if
from northing.inventory import operations
from northing.inventory.models import OnHand, SerialNumber, StockCount, StockCountLine
from northing.inventory.operations import Place, StockMove
from northing.ledger import operations as ledger
from northing.ledger.models import Account, CostLayer, Entry, LayerTake
from northing.ledger.operations import Draft, open_entry, post
from northing.ledger.queries import posting_note
from northing.masterdata.models import Bin, Item

ZERO = Decimal(0)
COUNTED = LayerTake.Reason.COUNTED


@dataclass(frozen=True)
class AdjustRequest:
    """Units of an item (of a lot, where it keeps them) that were counted in a bin (id), and why they differ."""

    bin: int
    item: int
    lot: str
    counted: Decimal
    reason: str
    occurred_on: date
    # Of units that keep serial numbers: which are missing, or which came to light.
    serials: tuple[str, ...] = ()


@once
def adjust_stock(act: Act, request: AdjustRequest) -> int:
    """Missing units leave the oldest layers; further ones come at the newest one's cost. Returns the count's id."""
    bin = Bin.objects.select_related("site__company").get(pk=request.bin)
    item = Item.objects.get(pk=request.item)
    act.require_at("adjust_stock", bin.site.company_id, bin.site_id)
    lying = _lying(bin, item, request.lot)
    there = sum((row.quantity for row in lying), ZERO)
    refuse_if(_problems(act, request, item, there))
    difference = request.counted - there
    what = f"{plain(there)} to {plain(request.counted)} {item.unit} of {item.code} in {bin}"
    text = f"Adjusted {what}: {request.reason.strip()}{posting_note([bin.site.company_id], request.occurred_on)}"
    links = [("item", item.pk, bin.site.company_id)]
    history = add_history(act, "adjust_stock", text, links, request.occurred_on)
    entry = open_entry(act, history, text, request.occurred_on)
    if difference < 0:
        lines = _less(history, entry, lying, -difference, request.serials)
    else:
        lines = _more(history, entry, bin, item, request, difference)
    count = StockCount(
        company=bin.site.company,
        bin=bin,
        item=item,
        lot=request.lot.strip(),
        before=there,
        counted=request.counted,
        reason=request.reason.strip(),
        occurred_on=request.occurred_on,
        counted_by=act.person,
        at=act.at,
        entry=entry,
    )
    operations.write_count(count, lines)
    return count.pk


def _lying(bin: Bin, item: Item, lot: str) -> list[OnHand]:
    """The available goods in the bin, the oldest layer first; layers and rows are locked."""
    layers = CostLayer.objects.select_for_update(of=("self",)).filter(item=item, company=bin.site.company_id)
    layers = layers.filter(on_hand__bin=bin, on_hand__status="in_store", on_hand__quantity__gt=0)
    if item.keeps_lot:
        layers = layers.filter(lot=lot.strip())
    found = {layer.pk: layer for layer in layers.select_related("company", "shipment_line__instalment").order_by("pk")}
    rows = list(OnHand.objects.select_for_update().filter(layer__in=found, bin=bin, status="in_store").order_by("pk"))
    for row in rows:
        row.layer = found[row.layer_id]
    return sorted(rows, key=lambda row: (row.layer.occurred_on, row.layer_id))


def _problems(act: Act, request: AdjustRequest, item: Item, there: Decimal) -> list[Problem]:
    found = future_problem(request.occurred_on, act)
    if request.counted < 0:
        found.append(Problem("The count must not be negative.", "counted"))
    if round(request.counted, item.decimals) != request.counted:
        found.append(Problem(f"{item.code} is counted in whole {item.unit}.", "counted", "Enter whole units."))
    if request.counted == there:
        found.append(Problem(f"{plain(there)} {item.unit} lie there by the books, too.", "counted"))
    if item.keeps_lot and not request.lot.strip():
        found.append(Problem(f"{item.code} keeps lots: say which one was counted.", "lot"))
    if item.keeps_serial and len(set(request.serials)) != abs(request.counted - there):
        what = f"{item.code} keeps serial numbers: say which {plain(abs(request.counted - there))} they are."
        found.append(Problem(what, "serials"))
    if not request.reason.strip():
        found.append(Problem("Say why the count differs.", "reason", "One sentence is enough."))
    return found


def _less(
    history: HistoryEntry, entry: Entry, lying: Sequence[OnHand], units: Decimal, serials: Sequence[str]
) -> list[StockCountLine]:
    lines, drafts, moves, placed = [], [], [], []
    numbers = _numbers(lying, serials)
    for row in lying:
        part = min(units, row.quantity, len(numbers[row.layer_id]) if serials else units)
        if part <= 0:
            continue
        units -= part
        layer = row.layer
        gone = tuple(numbers[layer.pk])
        moves.append(StockMove(layer.pk, part, Place(row.bin_id, "in_store"), serials=gone))
        taken = ledger.take(layer, part, COUNTED, entry, layer.company.currency)
        drafts += _drafts(layer, -taken.cost)
        placed.append((layer, part))
        lines.append(StockCountLine(layer=layer, quantity=-part, cost=-taken.cost, goods_cost=-taken.goods_cost))
    operations.move_stock(history, moves)
    post(entry, drafts)
    move_units(history, placed, "in_store", "lost")
    return lines


def _numbers(lying: Sequence[OnHand], serials: Sequence[str]) -> dict[int, list[str]]:
    """The serial numbers that are missing, by the layer (id) of their units."""
    found: dict[int, list[str]] = defaultdict(list)
    rows = SerialNumber.objects.filter(layer__in=[row.layer_id for row in lying], number__in=list(serials))
    for layer, number in rows.values_list("layer", "number").order_by("layer", "number"):
        found[layer].append(number)
    strange = sorted(set(serials) - {number for those in found.values() for number in those})
    if strange:
        raise Refused(Problem(f"Serial number {strange[0]} does not lie there.", "serials", "Look where it is."))
    return found


def _drafts(layer: CostLayer, amount: Decimal) -> list[Draft]:
    line = layer.shipment_line.instalment.line_id if layer.shipment_line else None
    common = {"layer": layer.pk, "order_line": line}
    return [
        Draft(layer.company_id, Account.STOCK, amount, **common),
        Draft(layer.company_id, Account.COUNT_DIFFERENCE, -amount, **common),
    ]


def _more(
    history: HistoryEntry, entry: Entry, bin: Bin, item: Item, request: AdjustRequest, units: Decimal
) -> list[StockCountLine]:
    """Units that were not in the books: a layer of their own, at the unit cost of the newest one."""
    company = bin.site.company
    newest = CostLayer.objects.filter(company=company, item=item, kind="stock", total_cost__gt=0)
    lot = newest.filter(lot=request.lot.strip()) if item.keeps_lot else newest
    like = lot.order_by("-occurred_on", "-pk").first() or newest.order_by("-occurred_on", "-pk").first()
    value = divide(like.total_cost * units, like.received, minor_units(company.currency)) if like else ZERO
    layer = CostLayer(
        company=company,
        site=bin.site,
        item=item,
        lot=request.lot.strip(),
        best_before=like.best_before if like and like.lot == request.lot.strip() else None,
        occurred_on=request.occurred_on,
        received=units,
        total_cost=value,
        goods_cost=value,
    )
    ledger.write_layers([layer])
    operations.move_stock(history, [StockMove(layer.pk, units, None, Place(bin.pk, "in_store"), request.serials)])
    ledger.add_costs(entry, [(layer.pk, None, ledger.component_of(None), value)])
    post(entry, _drafts(layer, value))
    return [StockCountLine(layer=layer, quantity=units, cost=value, goods_cost=value)]


@once
def reverse_adjustment(act: Act, request: ReverseRequest) -> int:
    """Undo an adjustment by counter-entries: units lie where they lay, at their cost. Returns its id."""
    found = StockCount.objects.select_for_update(of=("self",)).select_related("item", "bin__site__company", "entry")
    count = found.get(pk=request.record)
    act.require_at("adjust_stock", count.company_id, count.bin.site_id)
    refuse_reversal("adjustment", count.reversed_by_id, request.reason)
    lines = list(count.lines.order_by("layer"))
    locked = CostLayer.objects.select_for_update(of=("self",)).filter(pk__in=[line.layer_id for line in lines])
    layers = locked.select_related("company", "shipment_line__instalment", "item").order_by("pk").in_bulk()
    more = [layers[line.layer_id] for line in lines if line.quantity > 0]
    refuse_if(_gone(more))
    text = f"Reversed: {count.entry.text}: {request.reason.strip()}{posting_note([count.company_id], act.today)}"
    links: list[Link] = [("item", count.item_id, count.company_id)]
    history = add_history(act, "reverse_adjustment", text, links, act.today)
    entry = open_entry(act, history, text, act.today, reverses=count.entry)
    operations.clear_layers(history, more)
    for layer in more:
        ledger.add_costs(entry, [(layer.pk, None, ledger.component_of(None), -layer.total_cost)])
    drafts = [draft for layer in more for draft in _drafts(layer, -layer.total_cost)]
    placed = []
    for line in lines:
        if line.quantity < 0:
            layer = layers[line.layer_id]
            back = ledger.give_back(layer, -line.quantity, -line.cost, -line.goods_cost, COUNTED, entry)
            drafts += _drafts(layer, back)
            placed.append((layer, -line.quantity))
    post(entry, drafts)
    ledger.empty_layers([layer.pk for layer in more])
    if placed:
        operations.move_back(history, count.entry.history)
    move_units(history, placed, "lost", "in_store")
    operations.mark_count_reversed(count, entry)
    return count.pk


def _gone(layers: Sequence[CostLayer]) -> list[Problem]:
    return [
        Problem(f"{plain(layer.gone)} of these units have left stock since.", mend="Take that back first.")
        for layer in layers
        if layer.gone
    ]
