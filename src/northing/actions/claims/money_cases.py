"""Cases without units: money that is owed for goods that are here, because they came late or were billed wrongly.

What is owed comes off the cost of the goods, like the price of goods that are kept at less.
"""

from dataclasses import dataclass
from datetime import date
from decimal import Decimal

from northing.access.acts import Act, future_problem
from northing.actions.claims.authorise import case_links
from northing.actions.costing.recognitions import of_layer
from northing.actions.costing.reduce import price_again, reduce_price, reduction_problems
from northing.actions.quality.inspect import links_of, locked_layer
from northing.actions.reversal import ReverseRequest, refuse_reversal
from northing.actions.worklist.refresh import bring_along
from northing.activity.operations import add_history, add_links, once
from northing.claims import operations as claims
from northing.claims.models import CaseEnd, Claim
from northing.core.claims.penalty import late_penalty
from northing.core.money.spread import amount_so_far
from northing.core.problems import Problem, refuse_if
from northing.drawings.figures import money
from northing.ledger.models import CostLayer
from northing.ledger.operations import open_entry, post
from northing.ledger.queries import posting_note
from northing.reports.standing import costs_of, settled_of

ZERO = Decimal(0)


@dataclass(frozen=True)
class MoneyCaseRequest:
    """An amount that is owed for goods of a layer (id), in their order's currency; and why."""

    layer: int
    kind: str
    amount: Decimal
    reason: str
    occurred_on: date


@once
def open_money_case(act: Act, request: MoneyCaseRequest) -> int:
    """A case of money against the goods' supplier; the goods cost so much less. Returns the case's id."""
    layer = locked_layer(request.layer)
    act.require("handle_cases", layer.company_id)
    refuse_if(_problems(act, request, layer))
    order = layer.shipment_line.instalment.line.order
    what = f"{order.currency} {money(request.amount, order.currency)}"
    text = f"Claimed {what} of {order.supplier} for {layer.item.code}: {request.reason.strip()}"
    text += posting_note([layer.company_id], request.occurred_on)
    history = add_history(act, "open_money_case", text, links_of(layer), request.occurred_on)
    case = Claim(
        company=layer.company,
        kind=request.kind,
        layer=layer,
        supplier=order.supplier,
        against=order.supplier,
        reason=request.reason.strip()[:80],
        quantity=ZERO,
        opened_on=request.occurred_on,
        opened_by=history,
    )
    claims.open_cases([case])
    add_links(history, [("case", case.pk, case.company_id)])
    entry = open_entry(act, history, text, request.occurred_on)
    base, drafts = reduce_price(entry, layer, case, request.amount)
    post(entry, drafts)
    claims.write_end(
        CaseEnd(
            company=case.company,
            case=case,
            way=CaseEnd.Way.KEPT,
            quantity=ZERO,
            reason=case.reason,
            reduced=request.amount,
            reduced_base=base,
            occurred_on=request.occurred_on,
            by=act.person,
            at=act.at,
            history=history,
            entry=entry,
        )
    )
    bring_along(layers=[layer.pk], cases=[case.pk])
    return case.pk


@once
def close_money_case(act: Act, request: ReverseRequest) -> int:
    """Undo it: nothing is claimed, the goods cost what they did, and the case never was. Returns the layer's id."""
    case = Claim.objects.select_for_update(of=("self",)).select_related("company").get(pk=request.record)
    layer = locked_layer(case.layer_id)
    act.require("handle_cases", case.company_id)
    refuse_reversal("case", case.opened_by_id if case.withdrawn_at else None, request.reason)
    refuse_if(settled_of([case.pk]) + costs_of([case.pk]))
    end = case.ends.select_related("entry").get()
    text = f"Claimed nothing of {case.against} for {layer.item.code}: {request.reason.strip()}"
    text += posting_note([case.company_id], act.today)
    history = add_history(act, "close_money_case", text, case_links(case), act.today)
    assert end.entry is not None
    entry = open_entry(act, history, text, act.today, reverses=end.entry)
    post(entry, price_again(entry, end.entry, layer, end.reduced_base))
    claims.take_back_end(end, history)
    claims.withdraw([case.pk], act.at)
    bring_along(layers=[layer.pk], cases=[case.pk])
    return layer.pk


def proposed(layer: CostLayer) -> tuple[int, Decimal]:
    """Days that goods of a layer came after their first promise, and the penalty that is agreed for that."""
    part = layer.shipment_line.instalment
    order = part.line.order
    days = (layer.occurred_on - part.first_promise).days if part.first_promise else 0
    made = of_layer(layer)
    units = max(sum((one.units for one in made), ZERO), layer.received)
    price = amount_so_far(sum((one.amount for one in made), ZERO), order.currency, layer.received, units)
    supplier = order.supplier
    return max(days, 0), late_penalty(price, days, supplier.late_percent, supplier.late_most, order.currency)


def _problems(act: Act, request: MoneyCaseRequest, layer: CostLayer) -> list[Problem]:
    found = future_problem(request.occurred_on, act)
    if request.kind not in Claim.OF_MONEY:
        found.append(Problem("Say what it is about.", "kind", "Choose late, wrongly billed or other."))
    if not request.reason.strip():
        found.append(Problem("Say why.", "reason", "One sentence is enough."))
    if request.amount <= 0:
        found.append(Problem("The amount must be above 0.", "amount"))
        return found
    # The goods are what is left and what is gone of the layer.
    wrong = reduction_problems(layer, layer.received, request.amount)
    return found + [Problem(one.what, "amount", one.mend) for one in wrong]
