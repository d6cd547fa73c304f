"""Inspect held goods."""

from collections.abc import Iterable, Sequence
from datetime import date
from decimal import Decimal

from django.db.models import Sum

from northing.access.acts import Act, future_problem
from northing.actions.quality.findings import notes_of, notes_problems, write_notes
from northing.actions.quality.request import InspectRequest, SampleRequest
from northing.actions.quality.sample import put_plan, sample_problems
from northing.actions.worklist.refresh import bring_along
from northing.activity.models import HistoryEntry
from northing.activity.operations import add_history, add_links, once
from northing.claims import operations as claims
from northing.claims.models import Claim
from northing.core.money.exact import plain
from northing.core.problems import Problem, Refused, refuse_if
from northing.inventory import operations
from northing.inventory.models import OnHand
from northing.inventory.operations import Place, StockMove
from northing.inventory.serials import serials_in
from northing.ledger.models import CostLayer
from northing.masterdata.queries import default_bin
from northing.positions import operations as positions
from northing.quality.models import Inspection
from northing.quality.operations import write_inspection
from northing.quality.queries import LotPlan, plan_of

ZERO = Decimal(0)
REASONS = ("chipped", "glaze cracks", "dents", "does not heat", "wrong colour", "wet cartons", "other")


@once
def inspect(act: Act, request: InspectRequest) -> int:
    """Passed units become available, failed ones are rejected and open a case. Returns the layer's id."""
    layer = locked_layer(request.layer)
    act.require_at("inspect", layer.company_id, layer.site_id)
    held = OnHand.objects.filter(layer=layer, status="held").aggregate(total=Sum("quantity"))["total"] or ZERO
    found = plan_of(layer)
    refuse_if(_verdict_problems(act, request, layer, held))
    refuse_if(sample_problems(act, request, layer, held, found))
    notes = notes_of(layer, request.notes)
    refuse_if(notes_problems(layer, notes, _looked_at(request), request.passed))
    text = f"Inspected {layer.item.code}: {plain(request.passed)} passed, {plain(request.failed)} failed"
    text += f" ({request.reason})" if request.failed else ""
    made = _verdict(act, layer, request)
    if found:
        put_plan(made, request.sample, found)
    _record(act, layer, request, made, text + _of_sample(request.sample, found))
    write_notes(made, notes)
    return layer.pk


def _looked_at(request: InspectRequest) -> Decimal:
    """Units that were looked at: the sample, or all of them."""
    return Decimal(request.sample.size) if request.sample else request.passed + request.failed


def let_through(act: Act, layer: CostLayer, occurred_on: date, run: int) -> None:
    """All that is held of a lot becomes available without being looked at: so it was drawn; `run` good ones before."""
    request = InspectRequest(layer.pk, layer.received, ZERO, "", occurred_on)
    made = _verdict(act, layer, request)
    made.skipped = True
    text = f"{layer.item.code}: {plain(request.passed)} let through without inspection, by lot, after {run} good lots"
    _record(act, layer, request, made, text)


def _verdict(act: Act, layer: CostLayer, request: InspectRequest) -> Inspection:
    """The inspection that is to be written; its story comes with it."""
    return Inspection(
        company=layer.company,
        layer=layer,
        passed=request.passed,
        failed=request.failed,
        reason=request.reason if request.failed else "",
        inspector=act.person,
        occurred_on=request.occurred_on,
        at=act.at,
    )


def _record(act: Act, layer: CostLayer, request: InspectRequest, made: Inspection, text: str) -> None:
    """Write the verdict, move its units, and open a case of those that failed."""
    made.history = history = add_history(act, "inspect", text, links_of(layer), request.occurred_on)
    write_inspection(made)
    _put_away(history, layer, request)
    key, shipment_line = layer.shipment_line.instalment_id, layer.shipment_line_id
    positions.move(
        history,
        [
            positions.MoveDraft(key, "held", "in_store", request.passed, shipment_line),
            positions.MoveDraft(key, "held", "rejected", request.failed, shipment_line),
        ],
    )
    opened = [_open_case(made, request)] if request.failed else []
    add_links(history, [("case", case, layer.company_id) for case in opened])
    bring_along(layers=[layer.pk], cases=opened)


def _of_sample(said: SampleRequest | None, found: LotPlan | None) -> str:
    """What was looked at, and by which plan, for the story."""
    if said is None or found is None:
        return ""
    not_right = f"{said.critical} critical, {said.major} major, {said.minor} minor"
    text = f"; of {said.size:,} looked at {not_right} (accepted: {found.major.accept}, {found.standing.state})"
    return f"{text}, decided otherwise: {said.overruled.strip()}" if said.overruled.strip() else text


RELATED = ("company", "item", "receipt_line", "shipment_line__instalment__line__order__supplier")


def locked_layer(key: int) -> CostLayer:
    return CostLayer.objects.select_for_update(of=("self",)).select_related(*RELATED).get(pk=key)


def locked_layers(keys: Iterable[int]) -> dict[int, CostLayer]:
    """Layers by id, locked in the order of their ids."""
    found = CostLayer.objects.select_for_update(of=("self",)).select_related(*RELATED, "site")
    return {layer.pk: layer for layer in found.filter(pk__in=list(keys)).order_by("pk")}


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
    operations.move_stock(history, _numbered(layer, request, ways) or moves)


def _numbered(layer: CostLayer, request: InspectRequest, ways: Sequence[tuple[str, str, Decimal]]) -> list[StockMove]:
    """The moves of units with serial numbers: those that failed are named, the others passed."""
    there = set(serials_in(layer, "held"))
    if not there:
        return []
    if len(request.serials) != request.failed or len(there) != request.passed + request.failed:
        mend = "Inspect all that is held at once, and name as many numbers as failed."
        raise Refused(Problem("These units have serial numbers: say which failed.", "serials", mend))
    groups = (sorted(there - set(request.serials)), list(request.serials))
    return [
        move
        for (bin, status, _), numbers in zip(ways, groups, strict=True)
        for move in operations.by_number(layer, "held", numbers, Place(default_bin(layer.site_id, bin).pk, status))
    ]


def _open_case(made: Inspection, request: InspectRequest) -> int:
    layer = made.layer
    case = Claim(
        company=layer.company,
        kind=Claim.Kind.REJECTED,
        layer=layer,
        supplier=layer.shipment_line.instalment.line.order.supplier,
        against=layer.shipment_line.instalment.line.order.supplier,
        reason=request.reason[:80],
        quantity=request.failed,
        opened_on=request.occurred_on,
        inspection=made,
    )
    return claims.open_cases([case])[0].pk


def links_of(layer: CostLayer) -> list[tuple[str, int, int | None]]:
    if layer.receipt_line and layer.receipt_line.why:
        what = "These goods belong to no order yet."
        raise Refused(Problem(what, mend="Tie them to one first.", record=("receipt", layer.receipt_line.receipt_id)))
    if layer.shipment_line is None:
        raise Refused(Problem("Opening stock has no order to return it to."))
    return [("line", layer.shipment_line.instalment.line_id, layer.company_id), ("layer", layer.pk, layer.company_id)]
