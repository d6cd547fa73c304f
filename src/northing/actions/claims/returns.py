"""Send failed units back to the supplier."""

from collections import defaultdict
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import date
from decimal import Decimal

from northing.access.acts import Act, future_problem
from northing.actions.claims.out_of_stock import bring_back, open_problems, take_out
from northing.actions.claims.replaced import settle_after_return
from northing.actions.costing.goods_price import Leaving
from northing.actions.quality.inspect import links_of, locked_layer
from northing.actions.reversal import ReverseRequest, refuse_reversal
from northing.actions.worklist.refresh import bring_along
from northing.activity.operations import HistoryDraft, add_history, add_history_rows, once
from northing.claims import operations as claims
from northing.claims.models import Authorisation, Claim, GoodsReturn, ReturnNote
from northing.claims.queries import authorisation_of, authorisations_of, standing_by
from northing.core.money.exact import plain
from northing.core.problems import Problem, refuse_if
from northing.inventory import operations
from northing.ledger.models import CostLayer, LayerTake
from northing.ledger.operations import open_entries, open_entry
from northing.ledger.queries import posting_note
from northing.positions import operations as positions
from northing.reports.standing import settled_of


@dataclass(frozen=True)
class ReturnRequest:
    """Units of a case that go back under the supplier's reference."""

    case: int
    quantity: Decimal
    reference: str
    occurred_on: date
    serials: tuple[str, ...] = ()


@once
def return_goods(act: Act, request: ReturnRequest) -> int:
    """Send rejected units back: out at layer cost; the price is not owed (billed: is claimed), the rest is a loss.

    Returns the case's id.
    """
    case = Claim.objects.select_for_update(of=("self",)).select_related("supplier", "company").get(pk=request.case)
    act.require_at("return_goods", case.company_id, case.layer.site_id)
    refuse_if(_return_problems(act, request, case))
    layer = locked_layer(case.layer_id)
    made = claims.open_return(
        GoodsReturn(
            company=case.company,
            site=layer.site,
            supplier=case.supplier,
            reference=request.reference.strip(),
            reason=case.reason,
            deliver_to=case.supplier.return_address,
            occurred_on=request.occurred_on,
            at=act.at,
            despatched_at=act.at,
        )
    )
    numbers = request.serials
    go_back(act, [Back(case, layer, request.quantity, request.reference, made, numbers)], request.occurred_on)
    bring_along(cases=[case.pk])
    return case.pk


@dataclass(frozen=True)
class Back:
    """Units of a case that leave their locked layer with a return, under a reference; with their serial numbers."""

    case: Claim
    layer: CostLayer
    quantity: Decimal
    reference: str
    made: GoodsReturn
    serials: tuple[str, ...] = ()


def go_back(act: Act, rows: Sequence[Back], day: date) -> None:
    """Units leave with returns: out of stock, positions and books. What follows is the caller's to bring along."""
    for wave in _waves(rows):
        _leave(act, wave, day)


def _waves(rows: Sequence[Back]) -> list[list[Back]]:
    """Units of the same goods of a shipment one after the other: each takes the next share of their price."""
    waves: list[list[Back]] = []
    before: dict[int, int] = defaultdict(int)
    for row in rows:
        number = before[row.layer.shipment_line_id]
        before[row.layer.shipment_line_id] += 1
        if number == len(waves):
            waves.append([])
        waves[number].append(row)
    return waves


def _leave(act: Act, rows: Sequence[Back], day: date) -> None:
    stories = add_history_rows(act, _stories(rows, day), day)
    entries = open_entries(act, stories, day)
    lying = operations.lying_in((row.layer.pk for row in rows), ["rejected"])
    told = list(zip(stories, rows, strict=True))
    operations.move_stock_rows(
        [
            (history, move)
            for history, row in told
            for move in lying.moves(row.layer, "rejected", row.quantity, None, row.serials)
        ]
    )
    leaving = [Leaving(entry, row.case, row.layer, row.quantity) for entry, row in zip(entries, rows, strict=True)]
    gone = take_out(leaving, LayerTake.Reason.RETURNED)
    said = authorisations_of((row.case.pk for row in rows), (row.reference for row in rows))
    notes = claims.write_returns(
        [
            ReturnNote(
                goods_return=row.made,
                company=row.case.company,
                case=row.case,
                authorisation=_authorisation(said, row),
                reference=row.reference.strip(),
                quantity=row.quantity,
                cost=one.cost,
                claimed=one.price,
                lost=one.lost,
                occurred_on=day,
                returned_by=act.person,
                at=act.at,
                entry=entry,
            )
            for row, one, entry in zip(rows, gone, entries, strict=True)
        ]
    )
    positions.move_rows([(history, _moved(row.layer, "rejected", "returned", row.quantity)) for history, row in told])
    settle_after_return(act, notes)


def _authorisation(said: Mapping[tuple[int, str], Authorisation], row: Back) -> Authorisation | None:
    one = said.get((row.case.pk, row.reference.strip().lower()))
    return one if one and one.left >= row.quantity else None


def _moved(layer: CostLayer, source: str, target: str, quantity: Decimal) -> positions.MoveDraft:
    line = layer.shipment_line
    return positions.MoveDraft(line.instalment_id, source, target, quantity, line.pk)


def _stories(rows: Sequence[Back], day: date) -> list[HistoryDraft]:
    notes = {key: posting_note([key], day) for key in {row.case.company_id for row in rows}}
    found = []
    for row in rows:
        what = f"{plain(row.quantity)} {row.layer.item.unit} of {row.layer.item.code}"
        text = f"Returned {what} to {row.case.supplier} under {row.reference}{notes[row.case.company_id]}"
        links = [*links_of(row.layer), ("case", row.case.pk, row.case.company_id)]
        found.append(HistoryDraft("return_goods", text, links))
    return found


@once
def reverse_return(act: Act, request: ReverseRequest) -> int:
    """Undo a return: its units are rejected goods again, at their cost, and are owed again. Returns the case's id."""
    note = ReturnNote.objects.select_related("case__company", "entry__history").get(pk=request.record)
    case, layer = note.case, locked_layer(note.case.layer_id)
    act.require_at("return_goods", note.company_id, layer.site_id)
    note.refresh_from_db(fields=["reversed_by"])
    refuse_reversal("return", note.reversed_by_id, request.reason)
    refuse_if(settled_of([case.pk]))
    what = f"{plain(note.quantity)} {layer.item.unit} of {layer.item.code} under {note.reference}"
    text = f"Reversed the return of {what}: {request.reason.strip()}{posting_note([note.company_id], act.today)}"
    links = [*links_of(layer), ("case", case.pk, note.company_id)]
    history = add_history(act, "reverse_return", text, links, act.today)
    entry = open_entry(act, history, text, act.today, reverses=note.entry)
    bring_back(entry, note.entry, layer, LayerTake.Reason.RETURNED)
    operations.move_back(history, note.entry.history)
    positions.move(history, [_moved(layer, "returned", "rejected", note.quantity)])
    claims.mark_reversed(note, entry)
    bring_along(cases=[case.pk])
    return case.pk


def _return_problems(act: Act, request: ReturnRequest, case: Claim) -> list[Problem]:
    found = future_problem(request.occurred_on, act)
    said = authorisation_of(case.pk, request.reference)
    most = said.left - standing_by(said.pk) if said else None
    mend = "Return at most that many."
    if said:
        mend = f"Return at most that many under {said.reference}; prepared units go with their own return."
    found += open_problems(case, request.quantity, mend, most=most)
    if not request.reference.strip():
        found.append(
            Problem("The supplier's reference is missing.", "reference", "Goods go back only with their authorisation.")
        )
    return found
