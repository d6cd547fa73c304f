"""The other ends of goods without an order: they went back to the supplier, or are kept free of charge."""

from dataclasses import dataclass
from datetime import date
from decimal import Decimal

from django.db.models import Sum

from northing.access.acts import Act, future_problem
from northing.actions.receiving.held_cases import held_links
from northing.actions.reversal import ReverseRequest, refuse_reversal
from northing.actions.worklist.refresh import bring_along
from northing.activity.models import HistoryEntry
from northing.activity.operations import add_history, once
from northing.core.money.exact import plain
from northing.core.problems import Problem, refuse_if
from northing.inventory import operations as inventory
from northing.inventory.models import OnHand, StockMovement
from northing.inventory.operations import Place, StockMove
from northing.ledger import operations as ledger
from northing.ledger.models import CostLayer, Entry, LayerTake
from northing.ledger.operations import open_entry
from northing.receiving import operations as receiving
from northing.receiving.models import HeldDecision

ZERO = Decimal(0)
Way = HeldDecision.Way


@dataclass(frozen=True)
class EndRequest:
    """Held units of a layer (id), their end, and under which reference or why."""

    layer: int
    way: str
    quantity: Decimal
    reference: str
    occurred_on: date
    # Which units, where they have serial numbers and not all that lie there go.
    serials: tuple[str, ...] = ()


@once
def end_held_goods(act: Act, request: EndRequest) -> int:
    """Held goods without an order went back, or are kept free of charge and available. Returns the decision's id."""
    layer = _locked(request.layer)
    act.require("decide_goods", layer.company_id)
    refuse_if(_problems(act, request, layer))
    what = f"{plain(request.quantity)} {layer.item.unit} of {layer.item.code} of {layer.receipt_line.receipt}"
    went = f"Sent back {what} under" if request.way == Way.SENT_BACK else f"Kept {what} free of charge:"
    text = f"{went} {request.reference.strip()}"
    history = add_history(act, "end_held_goods", text, held_links(layer), request.occurred_on)
    entry = open_entry(act, history, text, request.occurred_on)
    kept = request.way == Way.KEPT
    inventory.move_stock(history, _moves(layer, request, "in_store" if kept else ""))
    if not kept:
        ledger.take(layer, request.quantity, LayerTake.Reason.RETURNED, entry, layer.company.currency)
    decision = HeldDecision(
        line=layer.receipt_line,
        way=request.way,
        quantity=request.quantity,
        reference=request.reference.strip(),
        occurred_on=request.occurred_on,
        decided_by=act.person,
        at=act.at,
        entry=entry,
    )
    receiving.write_decisions([decision])
    bring_along(layers=[layer.pk])
    return decision.pk


def _moves(layer: CostLayer, request: EndRequest, status: str) -> list[StockMove]:
    """The units leave the state of being held: into another state in their bins, or (without one) for good."""
    if request.serials:
        places = inventory.numbered_places(layer, "held", request.serials)
    else:
        places = [(place, part, ()) for place, part in inventory.taken_from(layer, "held", request.quantity)]
    return [
        StockMove(layer.pk, part, place, Place(place.bin, status) if status else None, numbers)
        for place, part, numbers in places
    ]


def _locked(key: int) -> CostLayer:
    found = CostLayer.objects.select_for_update(of=("self",))
    return found.select_related("company", "item", "receipt_line__receipt").get(pk=key)


def _problems(act: Act, request: EndRequest, layer: CostLayer) -> list[Problem]:
    found = future_problem(request.occurred_on, act)
    held = OnHand.objects.filter(layer=layer, status="held").aggregate(total=Sum("quantity"))["total"] or ZERO
    if layer.receipt_line is None or not layer.receipt_line.why:
        found.append(Problem("These goods belong to an order.", mend="Inspect them."))
    if request.way not in (Way.SENT_BACK, Way.KEPT):
        found.append(Problem("Say whether they go back or are kept.", "way"))
    if not ZERO < request.quantity <= held:
        found.append(Problem(f"{plain(held)} {layer.item.unit} are held.", "quantity", "Enter at most that many."))
    if round(request.quantity, layer.item.decimals) != request.quantity:
        found.append(Problem(f"{layer.item.code} is counted in whole {layer.item.unit}.", "quantity"))
    if request.serials and len(set(request.serials)) != request.quantity:
        found.append(Problem("Name as many serial numbers as units, each once.", "serials"))
    if not request.reference.strip():
        what = "Say under which reference they go back." if request.way == Way.SENT_BACK else "Say why they are free."
        found.append(Problem(what, "reference", "Who agreed to it, and when?"))
    return found


@once
def reverse_end(act: Act, request: ReverseRequest) -> int:
    """Undo an end of held goods by counter-entries: they are held again. Returns the decision's id."""
    found = HeldDecision.objects.select_for_update(of=("self",)).select_related("line", "entry__history")
    decision = found.get(pk=request.record)
    layer = _locked(CostLayer.objects.get(receipt_line=decision.line_id, kind="stock").pk)
    act.require("decide_goods", layer.company_id)
    refuse_reversal("decision", decision.reversed_by_id, request.reason)
    refuse_if(_reversal_problems(decision, layer))
    text = f"Reversed: {decision.entry.text}: {request.reason.strip()}"
    history = add_history(act, "reverse_end", text, held_links(layer), act.today)
    entry = open_entry(act, history, text, act.today, reverses=decision.entry)
    if decision.way == Way.SENT_BACK:
        ledger.give_back(layer, decision.quantity, ZERO, ZERO, LayerTake.Reason.RETURNED, entry)
        inventory.move_back(history, decision.entry.history)
    else:
        _hold_again(history, decision.entry, layer)
    receiving.mark_decisions_reversed([decision], entry)
    bring_along(layers=[layer.pk])
    return decision.pk


def _reversal_problems(decision: HeldDecision, layer: CostLayer) -> list[Problem]:
    if decision.way == Way.TIED:
        tied = ("receipt", decision.receipt_id)
        return [Problem("These goods are received against an order.", mend="Reverse that receipt.", record=tied)]
    there = inventory.in_state(layer, "in_store")
    if decision.way == Way.KEPT and there < decision.quantity:
        return [
            Problem(f"Only {plain(there)} {layer.item.unit} are still in store.", mend="Take the issue back first.")
        ]
    return []


def _hold_again(history: HistoryEntry, entry: Entry, layer: CostLayer) -> None:
    """Kept units are held again, where they lie now; those that never moved since go first."""
    units = sum((one.quantity for one in StockMovement.objects.filter(history=entry.history_id)), ZERO)
    moves = [
        StockMove(layer.pk, part, place, Place(place.bin, "held"))
        for place, part in inventory.taken_from(layer, "in_store", units)
    ]
    inventory.move_stock(history, moves)
