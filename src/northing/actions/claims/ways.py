"""Units of a case that do not go back: kept as they are, or scrapped, with or without their price being claimed."""

from dataclasses import dataclass
from datetime import date
from decimal import Decimal

from northing.access.acts import Act, future_problem
from northing.actions.claims.out_of_stock import bring_back, open_problems, take_out
from northing.actions.quality.inspect import links_of, locked_layer
from northing.actions.reversal import ReverseRequest, refuse_reversal
from northing.actions.worklist.refresh import bring_along
from northing.activity.models import HistoryEntry
from northing.activity.operations import add_history, once
from northing.claims import operations as claims
from northing.claims.models import CaseEnd, Claim
from northing.core.money.exact import plain
from northing.core.problems import Problem, refuse_if
from northing.inventory import operations
from northing.inventory.models import StockMovement
from northing.inventory.operations import Place, StockMove
from northing.ledger.models import CostLayer, LayerTake
from northing.ledger.operations import open_entry
from northing.ledger.queries import posting_note
from northing.masterdata.queries import default_bin
from northing.positions import operations as positions
from northing.reports.standing import credits_of, issues_of

PLACE = {CaseEnd.Way.KEPT: "in_store", CaseEnd.Way.SCRAPPED: "scrapped"}


@dataclass(frozen=True)
class EndRequest:
    """Units of a case, and why they end so; of scrapped ones whether their price is claimed."""

    case: int
    quantity: Decimal
    reason: str
    occurred_on: date
    claimed: bool = True
    serials: tuple[str, ...] = ()


@once
def keep(act: Act, request: EndRequest) -> int:
    """Rejected units are good enough: they go into store at the cost they have. Returns the end's id."""
    case, layer = _locked(act, request)
    history = _told(act, request, case, layer, "Kept", "keep_goods")
    store = Place(default_bin(layer.site_id, "store").pk, "in_store")
    moves = operations.moves_to(layer, "rejected", request.quantity, store, request.serials)
    operations.move_stock(history, moves)
    return _write(act, request, case, layer, history, CaseEnd.Way.KEPT)


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
    gone = take_out(entry, case, layer, request.quantity, LayerTake.Reason.SCRAPPED, claimed=request.claimed)
    money = {"cost": gone.cost, "claimed": gone.price, "lost": gone.lost, "entry": entry}
    return _write(act, request, case, layer, history, CaseEnd.Way.SCRAPPED, **money)


def _locked(act: Act, request: EndRequest) -> tuple[Claim, CostLayer]:
    case = Claim.objects.select_for_update(of=("self",)).select_related("supplier", "company").get(pk=request.case)
    act.require_at("return_goods", case.company_id, case.layer.site_id)
    refuse_if(_problems(act, request, case))
    return case, locked_layer(case.layer_id)


def _told(act: Act, request: EndRequest, case: Claim, layer: CostLayer, done: str, action: str) -> HistoryEntry:
    text = f"{done} {plain(request.quantity)} {layer.item.unit} of {layer.item.code}: {request.reason.strip()}"
    links = [*links_of(layer), ("case", case.pk, case.company_id)]
    return add_history(act, action, text, links, request.occurred_on)


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
    positions.move(history, [positions.MoveDraft(key, "rejected", PLACE[way], request.quantity, part)])
    bring_along(layers=[layer.pk], cases=[case.pk])
    return end.pk


@once
def reverse_way(act: Act, request: ReverseRequest) -> int:
    """Undo an end: its units are rejected goods again, and their price is as it was. Returns the case's id."""
    end = CaseEnd.objects.select_related("case", "entry", "history").get(pk=request.record)
    layer = locked_layer(end.case.layer_id)
    act.require_at("return_goods", end.company_id, layer.site_id)
    end.refresh_from_db(fields=["reversed_by"])
    refuse_reversal("end", end.reversed_by_id, request.reason)
    refuse_if(_standing(end, layer))
    text = f"{plain(end.quantity)} {layer.item.unit} of {layer.item.code} are not {end.way}: {request.reason.strip()}"
    links = [*links_of(layer), ("case", end.case_id, end.company_id)]
    history = add_history(act, "reverse_way", text, links, act.today)
    if end.entry:
        _post_back(act, end, layer, history, text)
        operations.move_back(history, end.history)
    else:
        operations.move_stock(history, _apart_again(end, layer))
    key, part = layer.shipment_line.instalment_id, layer.shipment_line_id
    positions.move(history, [positions.MoveDraft(key, PLACE[CaseEnd.Way(end.way)], "rejected", end.quantity, part)])
    claims.take_back_end(end, history)
    bring_along(layers=[layer.pk], cases=[end.case_id])
    return end.case_id


def _standing(end: CaseEnd, layer: CostLayer) -> list[Problem]:
    """The facts that stand on an end: a credit note of its claim; or kept units that were issued since."""
    if end.way == CaseEnd.Way.SCRAPPED:
        return credits_of([end.case_id])
    return issues_of([layer.pk]) if operations.in_state(layer, "in_store") < end.quantity else []


def _post_back(act: Act, end: CaseEnd, layer: CostLayer, history: HistoryEntry, text: str) -> None:
    assert end.entry is not None
    note = posting_note([end.company_id], act.today)
    entry = open_entry(act, history, text + note, act.today, reverses=end.entry)
    bring_back(entry, end.entry, layer, LayerTake.Reason.SCRAPPED)


def _apart_again(end: CaseEnd, layer: CostLayer) -> list[StockMove]:
    """Kept units go apart again, from wherever they lie in store by now."""
    went = StockMovement.objects.filter(history=end.history).order_by("pk")
    apart = Place(went[0].source_id, "rejected")
    numbers = [number for one in went for number in one.serials.splitlines()]
    return operations.moves_to(layer, "in_store", end.quantity, apart, numbers)


def _problems(act: Act, request: EndRequest, case: Claim) -> list[Problem]:
    found = future_problem(request.occurred_on, act)
    found += open_problems(case, request.quantity, "Choose at most that many.")
    if not request.reason.strip():
        found.append(Problem("Say why.", "reason"))
    return found
