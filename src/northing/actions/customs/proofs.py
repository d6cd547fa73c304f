"""Proofs of origin of a shipment's goods, by which they are given a preference."""

from dataclasses import dataclass
from datetime import date

from northing.access.acts import Act, future_problem
from northing.actions.reversal import ReverseRequest
from northing.activity.operations import add_history, once
from northing.core.problems import Problem, refuse_if
from northing.customs import operations
from northing.customs.models import OriginProof
from northing.drawings.figures import day as day_words
from northing.masterdata.models import Company
from northing.shipping import operations as shipping


@dataclass(frozen=True)
class ProofRequest:
    """A paper, by the name that the tariff gives it, for goods of a company in a shipment (ids)."""

    shipment: int
    company: int
    name: str
    number: str
    dated: date
    valid_until: date | None = None


@once
def add_proof(act: Act, request: ProofRequest) -> int:
    """The paper is there. Returns its id."""
    company = Company.objects.get(pk=request.company)
    act.require("book_customs_entry", company.pk)
    shipment = shipping.lock([request.shipment])[request.shipment]
    refuse_if(_problems(act, request))
    made = OriginProof(
        shipment=shipment,
        company=company,
        name=request.name.strip(),
        number=request.number.strip(),
        dated=request.dated,
        valid_until=request.valid_until,
        added_by=act.person,
        at=act.at,
    )
    operations.write_fact(made)
    text = f"{made} of {day_words(made.dated, act.today.year)} proves the origin of goods of {company}"
    add_history(act, "add_proof", text, [("shipment", shipment.pk, company.pk)])
    return made.pk


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
    add_history(act, "withdraw_proof", text, [("shipment", proof.shipment_id, proof.company_id)])
    return proof.pk


def _problems(act: Act, request: ProofRequest) -> list[Problem]:
    found = future_problem(request.dated, act, "dated")
    if not request.name.strip():
        found.append(Problem("Say what paper it is.", "name", "As the tariff names it."))
    if not request.number.strip():
        found.append(Problem("The paper has a number.", "number"))
    if request.valid_until and request.valid_until < request.dated:
        found.append(Problem("It ends before it begins.", "valid_until"))
    return found
