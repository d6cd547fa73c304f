"""Units of a case that do not go back: kept as they are, or scrapped, with or without their price being claimed."""

from dataclasses import dataclass
from datetime import date
from decimal import Decimal

from northing.access.acts import Act, future_problem
from northing.actions.claims.authorise import case_links, locked_case
from northing.actions.claims.out_of_stock import bring_back, find_again, open_problems, take_out
from northing.actions.costing.goods_price import Leaving
from northing.actions.costing.reduce import price_again, reduce_price, reduction_problems
from northing.actions.quality.inspect import locked_layer
from northing.actions.reversal import ReverseRequest, refuse_reversal
from northing.actions.worklist.refresh import bring_along
from northing.activity.models import HistoryEntry
from northing.activity.operations import add_history, once
from northing.claims import operations as claims
from northing.claims.models import CaseEnd, Claim
from northing.core.money.exact import plain
from northing.core.problems import Problem, Refused, refuse_if
from northing.inventory import operations
from northing.inventory.models import StockMovement
from northing.inventory.operations import Place, StockMove
from northing.ledger import operations as ledger
from northing.ledger.models import CostLayer, LayerTake
from northing.ledger.operations import open_entry, post
from northing.ledger.queries import posting_note
from northing.masterdata.queries import default_bin
from northing.positions import operations as positions
from northing.reports.standing import issues_of, settled_of

PLACE = {
    CaseEnd.Way.KEPT: "in_store",
    CaseEnd.Way.REWORKED: "in_store",
    CaseEnd.Way.SCRAPPED: "scrapped",
    CaseEnd.Way.FOUND: "in_store",
    CaseEnd.Way.LOST: "lost",
    CaseEnd.Way.NEVER: "dropped",
}
ZERO = Decimal(0)


@dataclass(frozen=True)
class EndRequest:
    """Units of a case, and why they end so; of scrapped ones whether their price is claimed.

    Of kept ones `reduced` of their price, in the order's currency, is to be credited.
    """

    case: int
    quantity: Decimal
    reason: str
    occurred_on: date
    claimed: bool = True
    serials: tuple[str, ...] = ()
    reduced: Decimal = ZERO
    # Of goods that are found again, where the item keeps them.
    lot: str = ""
    best_before: date | None = None


@once
def keep(act: Act, request: EndRequest) -> int:
    """Rejected units are good enough: they go into store, at the cost they have or less. Returns the end's id."""
    case, layer = _locked(act, request)
    refuse_if(reduction_problems(layer, request.quantity, request.reduced) if request.reduced else [])
    history = _told(act, request, case, layer, "Kept", "keep_goods")
    _into_store(history, layer, request)
    money = _reduced(act, request, case, layer, history) if request.reduced else {}
    return _write(act, request, case, layer, history, CaseEnd.Way.KEPT, **money)


@once
def rework(act: Act, request: EndRequest) -> int:
    """Rejected units were put right and go into store; what that cost comes on a bill. Returns the end's id."""
    case, layer = _locked(act, request)
    history = _told(act, request, case, layer, "Reworked", "rework_goods")
    _into_store(history, layer, request)
    return _write(act, request, case, layer, history, CaseEnd.Way.REWORKED)


def _into_store(history: HistoryEntry, layer: CostLayer, request: EndRequest) -> None:
    store = Place(default_bin(layer.site_id, "store").pk, "in_store")
    operations.move_stock(history, operations.moves_to(layer, "rejected", request.quantity, store, request.serials))


def _reduced(act: Act, request: EndRequest, case: Claim, layer: CostLayer, history: HistoryEntry) -> dict[str, object]:
    text = history.text + posting_note([case.company_id], request.occurred_on)
    entry = open_entry(act, history, text, request.occurred_on)
    base, drafts = reduce_price(entry, layer, case, request.reduced)
    post(entry, drafts)
    return {"entry": entry, "reduced": request.reduced, "reduced_base": base}


@once
def scrap(act: Act, request: EndRequest) -> int:
    """Rejected units are destroyed: out of stock at full cost. Returns the end's id.

    Their price is claimed where it was billed, else owed no more, and the rest is a scrap loss; not `claimed`,
    all of it is.
    """
    case, layer = _locked(act, request)
    history = _told(act, request, case, layer, "Scrapped", "scrap_goods")
    text = history.text + posting_note([case.company_id], request.occurred_on)
    entry = open_entry(act, history, text, request.occurred_on)
    operations.move_out(history, layer, "rejected", request.quantity, serials=request.serials)
    leaving = [Leaving(entry, case, layer, request.quantity)]
    [gone] = take_out(leaving, LayerTake.Reason.SCRAPPED, claimed=request.claimed)
    money = {"cost": gone.cost, "claimed": gone.price, "lost": gone.lost, "entry": entry}
    return _write(act, request, case, layer, history, CaseEnd.Way.SCRAPPED, **money)


@once
def find(act: Act, request: EndRequest) -> int:
    """Missing units are here after all: into store at full cost, late costs with them. Returns the end's id.

    Their price is owed again, or claimed no more.
    """
    case, layer = _locked_missing(act, request)
    refuse_if(settled_of([case.pk]) + _numbers(request, case) + _lot_problems(request, layer))
    ledger.name_lot(layer, request.lot.strip(), request.best_before)
    history = _told(act, request, case, layer, "Found", "find_goods")
    text = history.text + posting_note([case.company_id], request.occurred_on)
    entry = open_entry(act, history, text, request.occurred_on)
    gone = find_again(entry, case, layer, request.quantity)
    store = Place(default_bin(layer.site_id, "store").pk, "in_store")
    operations.move_stock(history, [StockMove(layer.pk, request.quantity, None, store, request.serials)])
    money = {"cost": gone.cost, "claimed": gone.price, "lost": gone.lost, "entry": entry}
    return _write(act, request, case, layer, history, CaseEnd.Way.FOUND, **money)


@once
def lose(act: Act, request: EndRequest) -> int:
    """Missing units will not be found; what is claimed of them stays so. Returns the end's id."""
    case, layer = _locked_missing(act, request)
    history = _told(act, request, case, layer, "Lost", "lose_goods")
    return _write(act, request, case, layer, history, CaseEnd.Way.LOST)


@once
def never_supplied(act: Act, request: EndRequest) -> int:
    """Missing units were never sent: they will not come, and their credit is what is claimed. Returns the end's id."""
    case, layer = _locked_missing(act, request)
    history = _told(act, request, case, layer, "Never supplied", "never_supplied")
    return _write(act, request, case, layer, history, CaseEnd.Way.NEVER)


def _numbers(request: EndRequest, case: Claim) -> list[Problem]:
    """Units of an item that keeps serial numbers come in with theirs."""
    if not case.layer.item.keeps_serial or len(request.serials) == request.quantity:
        return []
    return [Problem("These units have serial numbers: say which.", "serials", "Name as many as were found.")]


def _lot_problems(request: EndRequest, layer: CostLayer) -> list[Problem]:
    """Units of an item that keeps lots come in with theirs; those of one case are of one lot."""
    if not layer.item.keeps_lot:
        return []
    lot = request.lot.strip()
    if not lot:
        return [Problem(f"{layer.item.code} keeps lots: the lot is missing.", "lot", "Read it from the goods.")]
    if len(lot) > 40:
        return [Problem("A lot has at most 40 signs.", "lot")]
    if layer.remaining and layer.lot not in ("", lot):
        what = f"Units of lot {layer.lot} were found of this case before."
        return [Problem(what, "lot", "Take those back first, or count the others in as an adjustment.")]
    return []


def _locked_missing(act: Act, request: EndRequest) -> tuple[Claim, CostLayer]:
    case = locked_case(request.case)
    act.require("handle_cases", case.company_id)
    layer = locked_layer(case.layer_id)
    refuse_if(_problems(act, request, case, Claim.Kind.MISSING))
    return case, layer


def _locked(act: Act, request: EndRequest) -> tuple[Claim, CostLayer]:
    case = locked_case(request.case)
    act.require_at("return_goods", case.company_id, case.layer.site_id)
    refuse_if(_problems(act, request, case))
    return case, locked_layer(case.layer_id)


def _told(act: Act, request: EndRequest, case: Claim, layer: CostLayer, done: str, action: str) -> HistoryEntry:
    text = f"{done} {plain(request.quantity)} {layer.item.unit} of {layer.item.code}: {request.reason.strip()}"
    return add_history(act, action, text, case_links(case), request.occurred_on)


def _write(act: Act, request: EndRequest, case: Claim, layer: CostLayer, history: HistoryEntry, way, **money) -> int:
    """The end of the units, and where they are now."""
    end = CaseEnd(
        company=case.company,
        case=case,
        way=way,
        quantity=request.quantity,
        reason=request.reason.strip()[:80],
        occurred_on=request.occurred_on,
        by=act.person,
        at=act.at,
        history=history,
        **money,
    )
    claims.write_end(end)
    key, part = layer.shipment_line.instalment_id, layer.shipment_line_id
    positions.move(history, [positions.MoveDraft(key, case.kind, PLACE[way], request.quantity, part)])
    bring_along(layers=[layer.pk], cases=[case.pk])
    return end.pk


@once
def reverse_way(act: Act, request: ReverseRequest) -> int:
    """Undo an end: its units are rejected or missing again, and their price is as it was. Returns the case's id."""
    end = CaseEnd.objects.select_related("case__layer", "entry", "history").get(pk=request.record)
    layer = locked_layer(end.case.layer_id)
    if end.case.kind == Claim.Kind.MISSING:
        act.require("handle_cases", end.company_id)
    else:
        act.require_at("return_goods", end.company_id, layer.site_id)
    end.refresh_from_db(fields=["reversed_by"])
    refuse_reversal("end", end.reversed_by_id, request.reason)
    if not end.quantity:
        raise Refused(
            Problem("This case has no units.", mend="Take back what is claimed.", record=("case", end.case_id))
        )
    refuse_if(_standing(end, layer))
    what, way = f"{plain(end.quantity)} {layer.item.unit} of {layer.item.code}", end.get_way_display().lower()
    text = f"Taken back: {what} {way}. {request.reason.strip()}{posting_note([end.company_id], act.today)}"
    history = add_history(act, "reverse_way", text, case_links(end.case), act.today)
    BACK[CaseEnd.Way(end.way)](act, end, layer, history)
    key, part = layer.shipment_line.instalment_id, layer.shipment_line_id
    was, now = end.case.kind, PLACE[CaseEnd.Way(end.way)]
    positions.move(history, [positions.MoveDraft(key, now, was, end.quantity, part)])
    claims.take_back_end(end, history)
    bring_along(layers=[layer.pk], cases=[end.case_id])
    return end.case_id


def _standing(end: CaseEnd, layer: CostLayer) -> list[Problem]:
    """The facts that stand on an end: what came of its claim; or units in store that were issued since."""
    found = settled_of([end.case_id]) if end.entry_id else []
    if PLACE[CaseEnd.Way(end.way)] == "in_store" and operations.in_state(layer, "in_store") < end.quantity:
        found += issues_of([layer.pk])
    return found


def _not_scrapped(act: Act, end: CaseEnd, layer: CostLayer, history: HistoryEntry) -> None:
    assert end.entry is not None
    entry = open_entry(act, history, history.text, act.today, reverses=end.entry)
    bring_back(entry, end.entry, layer, LayerTake.Reason.SCRAPPED)
    operations.move_back(history, end.history)


def _not_kept(act: Act, end: CaseEnd, layer: CostLayer, history: HistoryEntry) -> None:
    operations.move_stock(history, _apart_again(end, layer))
    if end.entry:
        entry = open_entry(act, history, history.text, act.today, reverses=end.entry)
        post(entry, price_again(entry, end.entry, layer, end.reduced_base))


def _not_found(act: Act, end: CaseEnd, layer: CostLayer, history: HistoryEntry) -> None:
    entry = open_entry(act, history, history.text, act.today, reverses=end.entry)
    operations.move_out(history, layer, "in_store", end.quantity)
    take_out([Leaving(entry, end.case, layer, end.quantity)], LayerTake.Reason.MISSING)


def _nothing(act: Act, end: CaseEnd, layer: CostLayer, history: HistoryEntry) -> None:
    """Units that stay missing are nowhere, in store or in the books."""


BACK = {
    CaseEnd.Way.SCRAPPED: _not_scrapped,
    CaseEnd.Way.KEPT: _not_kept,
    CaseEnd.Way.REWORKED: _not_kept,
    CaseEnd.Way.FOUND: _not_found,
    CaseEnd.Way.LOST: _nothing,
    CaseEnd.Way.NEVER: _nothing,
}


def _apart_again(end: CaseEnd, layer: CostLayer) -> list[StockMove]:
    """Kept units go apart again, from wherever they lie in store by now."""
    went = StockMovement.objects.filter(history=end.history).order_by("pk")
    if not went:
        raise Refused(Problem("No unit was moved by this end.", mend="Look at the story of its goods."))
    apart = Place(went[0].source_id, "rejected")
    numbers = [number for one in went for number in one.serials.splitlines()]
    return operations.moves_to(layer, "in_store", end.quantity, apart, numbers)


def _problems(act: Act, request: EndRequest, case: Claim, kind: str = Claim.Kind.REJECTED) -> list[Problem]:
    found = future_problem(request.occurred_on, act)
    found += open_problems(case, request.quantity, "Choose at most that many.", kind=kind)
    if not request.reason.strip():
        found.append(Problem("Say why.", "reason"))
    return found
