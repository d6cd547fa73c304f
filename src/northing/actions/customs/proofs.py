"""Proofs of origin of goods, by which they are given a preference."""

from dataclasses import dataclass
from datetime import date

from northing.access.acts import Act, future_problem
from northing.actions.customs.covers import Covers
from northing.actions.reversal import ReverseRequest
from northing.activity.operations import CONSTRAINTS, add_history, once
from northing.core.problems import Problem, refuse_if
from northing.customs import operations
from northing.customs.models import OriginProof
from northing.drawings.figures import day as day_words
from northing.masterdata.models import Company
from northing.orders import operations as orders
from northing.shipping import operations as shipping
from northing.shipping.models import Shipment, ShipmentLine


@dataclass(frozen=True)
class ProofRequest:
    """A paper, by the name that the tariff gives it, for goods of a company (ids).

    They are in shipments, or came unpacked with receipts.
    """

    company: int
    name: str
    number: str
    dated: date
    valid_until: date | None = None
    shipments: tuple[int, ...] = ()
    receipts: tuple[int, ...] = ()


@once
def add_proof(act: Act, request: ProofRequest) -> int:
    """The paper is there: of each shipment, and of what came unpacked. Returns the id of the last."""
    company = Company.objects.get(pk=request.company)
    act.require("book_customs_entry", company.pk)
    shipments = shipping.lock(request.shipments)
    goods = _lock_unpacked(request)
    refuse_if(_problems(act, request, goods))
    made = [_proof(act, request, shipment) for shipment in shipments.values()]
    made += [_proof(act, request)] if goods else []
    for one in made:
        operations.write_proof(one, [] if one.shipment_id else [part.pk for part in goods])
    text = f"{made[-1]} of {day_words(request.dated, act.today.year)} proves the origin of goods of {company}"
    links = [("shipment", shipment, company.pk) for shipment in shipments]
    links += [("line", line, company.pk) for line in dict.fromkeys(part.instalment.line_id for part in goods)]
    add_history(act, "add_proof", text, links)
    return made[-1].pk


def _proof(act: Act, request: ProofRequest, shipment: Shipment | None = None) -> OriginProof:
    return OriginProof(
        shipment=shipment,
        company_id=request.company,
        name=request.name.strip(),
        number=request.number.strip(),
        dated=request.dated,
        valid_until=request.valid_until,
        added_by=act.person,
        at=act.at,
    )


def _lock_unpacked(request: ProofRequest) -> list[ShipmentLine]:
    """The goods of the receipts, their orders locked."""
    if not request.receipts:
        return []
    came = ShipmentLine.objects.filter(Covers(receipts=request.receipts).goods(None), quantity__gt=0)
    own = came.filter(instalment__line__order__company=request.company).select_related("instalment__line")
    orders.lock(set(own.values_list("instalment__line__order", flat=True)))
    return list(own.order_by("pk"))


@once
def withdraw_proof(act: Act, request: ReverseRequest) -> int:
    """It does not prove it after all. Returns its id."""
    proof = OriginProof.objects.select_for_update(of=("self",)).select_related("company").get(pk=request.record)
    act.require("book_customs_entry", proof.company_id)
    found = [Problem("This proof was withdrawn already.")] if proof.withdrawn_at else []
    if not request.reason.strip():
        found.append(Problem("Say why.", "reason", "One sentence is enough."))
    refuse_if(found)
    operations.withdraw(proof, act.at)
    text = f"{proof} does not prove it: {request.reason.strip()}"
    links = [("shipment", proof.shipment_id, proof.company_id)] if proof.shipment_id else []
    lines = proof.goods.order_by("pk").values_list("instalment__line", flat=True)
    add_history(
        act, "withdraw_proof", text, [*links, *(("line", line, proof.company_id) for line in dict.fromkeys(lines))]
    )
    return proof.pk


def _problems(act: Act, request: ProofRequest, goods: list[ShipmentLine]) -> list[Problem]:
    found = future_problem(request.dated, act, "dated")
    if not request.shipments and not goods:
        found.append(Problem("There are no goods that it could be of.", "name", "Reload the page."))
    same = OriginProof.objects.filter(goods__in=goods, name=request.name.strip(), number=request.number.strip())
    if same.filter(withdrawn_at=None).exists():
        found.append(CONSTRAINTS["origin_proof_once"])
    if not request.name.strip():
        found.append(Problem("Say what paper it is.", "name", "As the tariff names it."))
    if not request.number.strip():
        found.append(Problem("The paper has a number.", "number"))
    if request.valid_until and request.valid_until < request.dated:
        found.append(Problem("It ends before it begins.", "valid_until"))
    return found
