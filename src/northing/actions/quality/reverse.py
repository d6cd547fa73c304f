"""Reverse an inspection: its units are held again, its case never was."""

from collections.abc import Iterable
from decimal import Decimal

from northing.access.acts import Act
from northing.actions.quality.inspect import links_of, locked_layer
from northing.actions.reversal import ReverseRequest, refuse_reversal
from northing.actions.worklist.refresh import bring_along
from northing.activity.models import HistoryEntry
from northing.activity.operations import add_history, once
from northing.claims import operations as claims
from northing.claims.models import Claim
from northing.core.money.exact import plain
from northing.core.problems import Problem, refuse_if
from northing.inventory import operations as inventory
from northing.inventory.models import StockMovement
from northing.inventory.operations import Place, StockMove
from northing.ledger.models import CostLayer
from northing.positions import operations as positions
from northing.quality import operations as quality
from northing.quality.models import Inspection
from northing.reports.standing import FIRST, costs_of, divided_problems, issues_of, settled_of

ZERO = Decimal(0)


@once
def reverse_inspection(act: Act, request: ReverseRequest) -> int:
    """Undo a verdict while its units are where it put them. Returns the layer's id."""
    found = Inspection.objects.select_related("history").get(pk=request.record)
    layer = locked_layer(found.layer_id)
    act.require_at("inspect", layer.company_id, layer.site_id)
    found.refresh_from_db(fields=["reversed_by"])
    refuse_reversal("inspection", found.reversed_by_id, request.reason)
    case = Claim.objects.filter(inspection=found).first()
    refuse_if(_problems(found, layer, case))
    text = f"Reversed the inspection of {layer.item.code} ({plain(found.passed)} passed, {plain(found.failed)} failed)"
    history = add_history(act, "reverse_inspection", f"{text}: {request.reason.strip()}", links_of(layer), act.today)
    _hold_again(history, found, layer)
    key, part = layer.shipment_line.instalment_id, layer.shipment_line_id
    ways = (("in_store", found.passed), ("rejected", found.failed))
    positions.move(history, [positions.MoveDraft(key, place, "held", units, part) for place, units in ways])
    quality.mark_reversed(found, history)
    withdrawn = claims.withdraw([case.pk], act.at) if case else []
    bring_along(layers=[layer.pk], cases=withdrawn)
    return layer.pk


def _problems(found: Inspection, layer: CostLayer, case: Claim | None) -> list[Problem]:
    if case is not None and (divided := divided_problems([case])):
        return divided
    if case is not None and case.ended:
        what = f"{plain(case.ended)} of the {plain(case.quantity)} failed units have an end."
        return [Problem(what, mend=FIRST, record=("case", case.pk))]
    if case is not None and (costs := costs_of([case.pk]) + settled_of([case.pk])):
        return costs
    there = inventory.in_state(layer, "in_store")
    return issues_of([layer.pk]) if there < found.passed else []


def _hold_again(history: HistoryEntry, found: Inspection, layer: CostLayer) -> None:
    """Units go back into the bins in which they were held, from wherever they lie by now."""
    went = StockMovement.objects.filter(history=found.history).order_by("pk")
    for status, units in (("in_store", found.passed), ("rejected", found.failed)):
        homes = [(one.source_id, one.quantity) for one in went if one.target_status == status]
        inventory.move_stock(history, list(_back(layer, status, units, homes)))


def _back(layer: CostLayer, status: str, units: Decimal, homes: list[tuple[int, Decimal]]) -> Iterable[StockMove]:
    if not units:
        return
    for place, there in inventory.taken_from(layer, status, units):
        while there:
            bin, room = homes[0]
            part = min(there, room)
            yield StockMove(layer.pk, part, place, Place(bin, "held"))
            there, homes[0] = there - part, (bin, room - part)
            if not homes[0][1]:
                homes.pop(0)
