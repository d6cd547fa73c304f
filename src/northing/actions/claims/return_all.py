"""Send back all that is left of a receipt or of an order, in one act."""

from collections.abc import Iterable
from dataclasses import dataclass, replace
from datetime import date
from decimal import Decimal

from northing.access.acts import Act, future_problem
from northing.actions.claims.returns import ReturnRequest, go_back, reverse_return
from northing.actions.claims.set_aside import GOOD, put_aside
from northing.actions.quality.inspect import locked_layer
from northing.actions.reversal import ReverseRequest
from northing.activity.operations import once
from northing.claims import operations as claims
from northing.claims.models import Claim, GoodsReturn, ReturnNote
from northing.core.problems import Problem, Refused, refuse_if
from northing.inventory import operations
from northing.inventory.serials import serials_in
from northing.ledger.models import CostLayer
from northing.ledger.queries import CAME


@dataclass(frozen=True)
class ReturnAllRequest:
    """All of a receipt, or of an order (ids), that is still here, under the supplier's reference."""

    reference: str
    reason: str
    occurred_on: date
    receipt: int | None = None
    order: int | None = None
    haulier: str = ""


def layers_of(receipt: int | None, order: int | None) -> list[int]:
    """The layers (ids) of a receipt or of an order that goods are left of; not those that belong to no order."""
    found = CostLayer.objects.filter(CAME, receipt_line__why="", on_hand__quantity__gt=0)
    if receipt:
        found = found.filter(receipt_line__receipt=receipt)
    else:
        found = found.filter(shipment_line__instalment__line__order=order)
    return list(found.order_by("pk").values_list("pk", flat=True).distinct())


@once
def return_all(act: Act, request: ReturnAllRequest) -> list[int]:
    """Held, stored and rejected units go back; of the good ones a case is opened. Returns the returns' ids.

    There is one return for each site.
    """
    if not (request.receipt or request.order):
        raise Refused(Problem("Say what goes back: a receipt, or an order."))
    refuse_if(_problems(act, request))
    layers = [locked_layer(key) for key in layers_of(request.receipt, request.order)]
    for layer in layers:
        act.require_at("return_goods", layer.company_id, layer.site_id)
    refuse_if(_nothing(layers))
    made: dict[int, GoodsReturn] = {}
    for layer in layers:
        for case in [*_open_cases(layer), *_good(act, layer, request)]:
            head = made.get(layer.site_id) or _open(act, layer, case, request)
            made[layer.site_id] = head
            for units, reference in _parts(case, request.reference):
                went = ReturnRequest(case.pk, units, reference, request.occurred_on)
                go_back(act, replace(went, serials=_numbers(layer, units)), case, layer, head)
    return [one.pk for one in made.values()]


def _open_cases(layer: CostLayer) -> list[Claim]:
    found = Claim.objects.select_for_update(of=("self",)).select_related("supplier", "company")
    found = found.filter(layer=layer, kind=Claim.Kind.REJECTED, withdrawn_at=None).order_by("pk")
    return [case for case in found if case.open_quantity]


def _good(act: Act, layer: CostLayer, request: ReturnAllRequest) -> Iterable[Claim]:
    parts = [(state, units) for state in GOOD if (units := operations.in_state(layer, state))]
    return [put_aside(act, layer, parts, request.reason, request.occurred_on)] if parts else []


def _parts(case: Claim, reference: str) -> list[tuple[Decimal, str]]:
    """What the supplier authorised goes back under its own reference, the rest under the one of the return."""
    said = [one for one in case.authorisations.order_by("pk") if one.left]
    parts = [(one.left, one.reference) for one in said]
    return [*parts, (case.undecided, reference)] if case.undecided else parts


def _numbers(layer: CostLayer, quantity: Decimal) -> tuple[str, ...]:
    """The serial numbers of so many rejected units; all of them go, so that it does not matter with which case."""
    return tuple(serials_in(layer, "rejected"))[: int(quantity)] if layer.item.keeps_serial else ()


def _open(act: Act, layer: CostLayer, case: Claim, request: ReturnAllRequest) -> GoodsReturn:
    return claims.open_return(
        GoodsReturn(
            company=layer.company,
            site=layer.site,
            supplier=case.supplier,
            reference=request.reference.strip(),
            reason=request.reason.strip()[:80],
            haulier=request.haulier.strip()[:80],
            occurred_on=request.occurred_on,
            at=act.at,
        )
    )


@once
def reverse_all(act: Act, request: ReverseRequest) -> int:
    """Undo a return: the units of each of its notes are rejected goods again. Returns its id."""
    notes = ReturnNote.objects.filter(goods_return=request.record, reversed_by=None).order_by("-pk")
    refuse_if([] if notes else [Problem("This return was reversed already.")])
    for note in notes:
        reverse_return(act.inner(), ReverseRequest(note.pk, request.reason))
    return request.record


def _problems(act: Act, request: ReturnAllRequest) -> list[Problem]:
    found = future_problem(request.occurred_on, act)
    if not request.reference.strip():
        mend = "Goods go back only with their authorisation."
        found.append(Problem("The supplier's reference is missing.", "reference", mend))
    if not request.reason.strip():
        found.append(Problem("Say why they go back.", "reason"))
    return found


def _nothing(layers: list[CostLayer]) -> list[Problem]:
    units = sum((operations.in_state(one, state) for one in layers for state in (*GOOD, "rejected")), Decimal(0))
    return [] if units else [Problem("Nothing of it is here any more.", mend="Take back what was issued first.")]
