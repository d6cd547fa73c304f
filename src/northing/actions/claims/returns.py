"""Send failed units back to the supplier."""

from dataclasses import dataclass
from datetime import date
from decimal import Decimal

from northing.access.acts import Act, future_problem
from northing.actions.claims.out_of_stock import bring_back, open_problems, take_out
from northing.actions.quality.inspect import links_of, locked_layer
from northing.actions.reversal import ReverseRequest, refuse_reversal
from northing.actions.worklist.refresh import bring_along
from northing.activity.operations import add_history, once
from northing.claims import operations as claims
from northing.claims.models import Claim, GoodsReturn, ReturnNote
from northing.claims.queries import authorisation_of, standing_by
from northing.core.money.exact import plain
from northing.core.problems import Problem, refuse_if
from northing.inventory import operations
from northing.ledger.models import CostLayer, LayerTake
from northing.ledger.operations import open_entry
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
    go_back(act, request, case, layer, made)
    return case.pk


def go_back(
    act: Act, request: ReturnRequest, case: Claim, layer: CostLayer, made: GoodsReturn, *, follows: bool = True
) -> None:
    """Units of a case leave with a return: out of stock, positions and books.

    What follows is brought along, unless the caller does that for many at once.
    """
    what = f"{plain(request.quantity)} {layer.item.unit} of {layer.item.code}"
    text = f"Returned {what} to {case.supplier} under {request.reference}"
    text += posting_note([case.company_id], request.occurred_on)
    history = add_history(
        act, "return_goods", text, [*links_of(layer), ("case", case.pk, case.company_id)], request.occurred_on
    )
    entry = open_entry(act, history, text, request.occurred_on)
    operations.move_out(history, layer, "rejected", request.quantity, serials=request.serials)
    gone = take_out(entry, case, layer, request.quantity, LayerTake.Reason.RETURNED)
    said = authorisation_of(case.pk, request.reference)
    claims.write_return(
        ReturnNote(
            goods_return=made,
            company=case.company,
            case=case,
            authorisation=said if said and said.left >= request.quantity else None,
            reference=request.reference.strip(),
            quantity=request.quantity,
            cost=gone.cost,
            claimed=gone.price,
            lost=gone.lost,
            occurred_on=request.occurred_on,
            returned_by=act.person,
            at=act.at,
            entry=entry,
        )
    )
    move = positions.MoveDraft(
        layer.shipment_line.instalment_id, "rejected", "returned", request.quantity, layer.shipment_line_id
    )
    positions.move(history, [move])
    if follows:
        bring_along(cases=[case.pk])


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
    move = positions.MoveDraft(
        layer.shipment_line.instalment_id, "returned", "rejected", note.quantity, layer.shipment_line_id
    )
    positions.move(history, [move])
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
