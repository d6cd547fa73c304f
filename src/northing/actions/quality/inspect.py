"""Inspect held goods; send failed units back."""

from dataclasses import dataclass
from datetime import date
from decimal import Decimal

from django.db.models import F, Sum

from northing.access.acts import Act, future_problem
from northing.actions.costing import goods_price
from northing.actions.worklist.refresh import bring_along
from northing.activity.models import HistoryEntry
from northing.activity.operations import add_history, once
from northing.claims.models import Claim, ReturnNote
from northing.core.money.exact import plain
from northing.core.problems import Problem, Refused, refuse_if
from northing.inventory import operations
from northing.inventory.models import OnHand
from northing.inventory.operations import Place, StockMove
from northing.ledger import operations as ledger
from northing.ledger.models import Account, CostLayer, LayerTake
from northing.ledger.operations import Draft, open_entry, post
from northing.ledger.queries import posting_note
from northing.masterdata.queries import default_bin
from northing.positions import operations as positions
from northing.quality.models import Inspection

ZERO = Decimal(0)
REASONS = ("chipped", "glaze cracks", "dents", "does not heat", "wrong colour", "wet cartons", "other")


@dataclass(frozen=True)
class InspectRequest:
    """A verdict on held units of a layer."""

    layer: int
    passed: Decimal
    failed: Decimal
    reason: str
    occurred_on: date


@dataclass(frozen=True)
class ReturnRequest:
    """Units of a case that go back under the supplier's reference."""

    case: int
    quantity: Decimal
    reference: str
    occurred_on: date


@once
def inspect(act: Act, request: InspectRequest) -> int:
    """Passed units become available, failed ones are rejected and open a case. Returns the layer's id."""
    layer = _locked_layer(request.layer)
    act.require_at("inspect", layer.company_id, layer.site_id)
    held = OnHand.objects.filter(layer=layer, status="held").aggregate(total=Sum("quantity"))["total"] or ZERO
    refuse_if(_verdict_problems(act, request, layer, held))
    text = f"Inspected {layer.item.code}: {plain(request.passed)} passed, {plain(request.failed)} failed"
    text += f" ({request.reason})" if request.failed else ""
    history = add_history(act, "inspect", text, _links(layer), request.occurred_on)
    Inspection.objects.create(
        layer=layer,
        passed=request.passed,
        failed=request.failed,
        reason=request.reason if request.failed else "",
        inspector=act.person,
        occurred_on=request.occurred_on,
        at=act.at,
    )
    _put_away(history, layer, request)
    key, stowage = layer.stowage.instalment_id, layer.stowage_id
    positions.move(
        history,
        [
            positions.MoveDraft(key, "held", "in_store", request.passed, stowage),
            positions.MoveDraft(key, "held", "rejected", request.failed, stowage),
        ],
    )
    opened = [_open_case(layer, request)] if request.failed else []
    bring_along(layers=[layer.pk], cases=opened)
    return layer.pk


def _locked_layer(key: int) -> CostLayer:
    return (
        CostLayer.objects.select_for_update(of=("self",))
        .select_related("company", "item", "receipt_line", "stowage__instalment__line__order__supplier")
        .get(pk=key)
    )


def _verdict_problems(act: Act, request: InspectRequest, layer: CostLayer, held: Decimal) -> list[Problem]:
    found = future_problem(request.occurred_on, act)
    if request.passed < 0 or request.failed < 0:
        found.append(Problem("Quantities must not be negative.", "passed"))
    if request.passed + request.failed <= 0:
        found.append(Problem("Say how many passed and how many failed.", "passed"))
    if request.passed + request.failed > held:
        found.append(
            Problem(
                f"Only {plain(held)} {layer.item.unit} are held.",
                "passed",
                "Passed and failed together are at most that.",
            )
        )
    if any(round(quantity, layer.item.decimals) != quantity for quantity in (request.passed, request.failed)):
        found.append(Problem(f"{layer.item.code} is counted in whole {layer.item.unit}.", "passed"))
    if request.failed > 0 and not request.reason.strip():
        found.append(Problem("Say why units failed.", "reason", "Choose the defect."))
    return found


def _put_away(history: HistoryEntry, layer: CostLayer, request: InspectRequest) -> None:
    """Passed units go to the store, failed ones to quarantine, out of the bins where they are held."""
    ways = (("store", "in_store", request.passed), ("quarantine", "rejected", request.failed))
    left = [[Place(default_bin(layer.site_id, bin).pk, status), units] for bin, status, units in ways if units]
    moves = []
    for place, there in operations.taken_from(layer, "held", request.passed + request.failed):
        while there:
            part = min(there, left[0][1])
            moves.append(StockMove(layer.pk, part, place, left[0][0]))
            there, left[0][1] = there - part, left[0][1] - part
            if not left[0][1]:
                left.pop(0)
    operations.move_stock(history, moves)


def _open_case(layer: CostLayer, request: InspectRequest) -> int:
    case = Claim.objects.create(
        company=layer.company,
        kind=Claim.Kind.REJECTED,
        layer=layer,
        supplier=layer.stowage.instalment.line.order.supplier,
        reason=request.reason[:80],
        quantity=request.failed,
        opened_on=request.occurred_on,
    )
    return case.pk


@once
def return_goods(act: Act, request: ReturnRequest) -> int:
    """Send rejected units back: out at layer cost; the price is not owed (billed: is claimed), the rest is a loss.

    Returns the case's id.
    """
    case = Claim.objects.select_for_update(of=("self",)).select_related("supplier", "company").get(pk=request.case)
    act.require_at("return_goods", case.company_id, case.layer.site_id)
    refuse_if(_return_problems(act, request, case))
    layer = _locked_layer(case.layer_id)
    what = f"{plain(request.quantity)} {layer.item.unit} of {layer.item.code}"
    text = f"Returned {what} to {case.supplier} under {request.reference}"
    text += posting_note([case.company_id], request.occurred_on)
    history = add_history(
        act, "return_goods", text, [*_links(layer), ("case", case.pk, case.company_id)], request.occurred_on
    )
    entry = open_entry(act, history, text, request.occurred_on)
    operations.move_out(history, layer, "rejected", request.quantity)
    released = goods_price.release(entry, layer, request.quantity, case.pk)
    taken = ledger.take(layer, request.quantity, LayerTake.Reason.RETURNED, entry, case.company.currency)
    common = {"company": case.company_id, "layer": layer.pk, "order_line": layer.stowage.instalment.line_id}
    price = sum((draft.amount for draft in released), ZERO)
    post(
        entry,
        [
            *released,
            Draft(account=Account.RETURN_LOSS, amount=taken.cost - price, **common),
            Draft(account=Account.STOCK, amount=-taken.cost, **common),
        ],
    )
    ReturnNote.objects.create(
        case=case,
        reference=request.reference.strip(),
        quantity=request.quantity,
        cost=taken.cost,
        claimed=price,
        lost=taken.cost - price,
        occurred_on=request.occurred_on,
        at=act.at,
        entry=entry,
    )
    Claim.objects.filter(pk=case.pk).update(ended=F("ended") + request.quantity)
    move = positions.MoveDraft(layer.stowage.instalment_id, "rejected", "returned", request.quantity, layer.stowage_id)
    positions.move(history, [move])
    bring_along(cases=[case.pk])
    return case.pk


def _return_problems(act: Act, request: ReturnRequest, case: Claim) -> list[Problem]:
    found = future_problem(request.occurred_on, act)
    if case.kind != Claim.Kind.REJECTED:
        found.append(Problem("Missing goods are not here to be returned.", mend="Settle the claim instead."))
    if request.quantity <= 0:
        found.append(Problem("The quantity must be above 0.", "quantity"))
    if request.quantity > case.open_quantity:
        found.append(
            Problem(
                f"Only {plain(case.open_quantity)} units of this case are open.",
                "quantity",
                "Return at most that many.",
            )
        )
    if round(request.quantity, case.layer.item.decimals) != request.quantity:
        found.append(Problem(f"{case.layer.item.code} is counted in whole {case.layer.item.unit}.", "quantity"))
    if not request.reference.strip():
        found.append(
            Problem("The supplier's reference is missing.", "reference", "Goods go back only with their authorisation.")
        )
    return found


def _links(layer: CostLayer) -> list[tuple[str, int, int | None]]:
    if layer.stowage is None:
        raise Refused(Problem("Opening stock has no order to return it to."))
    return [("line", layer.stowage.instalment.line_id, layer.company_id), ("layer", layer.pk, layer.company_id)]
