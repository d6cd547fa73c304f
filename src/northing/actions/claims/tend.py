"""The person responsible for a case; and cases that are divided or joined."""

from dataclasses import dataclass
from decimal import Decimal

from northing.access.acts import Act
from northing.access.models import Person
from northing.access.permissions import may
from northing.actions.claims.authorise import case_links, locked_case
from northing.actions.worklist.refresh import bring_along
from northing.activity.operations import add_history, add_links, once
from northing.claims import operations as claims
from northing.claims.models import Claim
from northing.core.money.exact import plain
from northing.core.problems import Problem, Refused, refuse_if
from northing.reports.standing import costs_of, settled_of


@dataclass(frozen=True)
class TendRequest:
    """The person (id) of ours who is responsible for a case (its id); None for no person."""

    case: int
    person: int | None


@dataclass(frozen=True)
class DivideRequest:
    """So many units of a case (its id) without a way become a case of their own, for a reason of its own."""

    case: int
    quantity: Decimal
    reason: str


@dataclass(frozen=True)
class JoinRequest:
    """The units of a case (its id) without a way join another case (its id) of the same goods."""

    case: int
    into: int


@once
def tend(act: Act, request: TendRequest) -> int:
    """One of our people is responsible for a case from now on. Returns its id."""
    case = locked_case(request.case)
    act.require("handle_cases", case.company_id)
    person = Person.objects.filter(pk=request.person, is_active=True).first() if request.person else None
    if request.person and (person is None or not may(person, "handle_cases", case.company_id)):
        mend = "Choose a person who may handle cases of this company."
        raise Refused(Problem("This person cannot be responsible for the case.", "person", mend))
    if case.looked_after_by_id == request.person:
        return case.pk
    claims.look_after(case, person)
    add_history(
        act,
        "tend_case",
        f"{person} is responsible for the case" if person else "No person is responsible for the case",
        case_links(case),
    )
    bring_along(cases=[case.pk])
    return case.pk


@once
def divide(act: Act, request: DivideRequest) -> int:
    """Units of a case become a case of their own; nothing moves, in stock or books. Returns the new case's id."""
    case = locked_case(request.case)
    act.require("handle_cases", case.company_id)
    refuse_if(_divide_problems(request, case))
    item, reason = case.layer.item, request.reason.strip()[:80]
    text = f"Divided: {plain(request.quantity)} {item.unit} of {item.code} are a case of their own: {reason}"
    history = add_history(act, "divide_case", text, case_links(case))
    part = claims.divide(case, request.quantity, reason)
    add_links(history, [("case", part.pk, part.company_id)])
    bring_along(cases=[case.pk, part.pk])
    return part.pk


def _divide_problems(request: DivideRequest, case: Claim) -> list[Problem]:
    found, unit = [], case.layer.item.unit
    if case.kind != Claim.Kind.REJECTED:
        mend = "Its price is one claim; end some of the units, and see to the others."
        return [Problem("Only a case of rejected units is divided.", "quantity", mend)]
    if not 0 < request.quantity < case.quantity or request.quantity > case.undecided:
        what = f"{plain(case.undecided)} of the {plain(case.quantity)} {unit} have no way yet."
        found.append(Problem(what, "quantity", "Enter fewer than all of the case, at most those."))
    elif round(request.quantity, case.layer.item.decimals) != request.quantity:
        found.append(Problem(f"{case.layer.item.code} is counted in whole {unit}.", "quantity"))
    if not request.reason.strip():
        found.append(Problem("Say what is wrong with them.", "reason"))
    return found


@once
def join(act: Act, request: JoinRequest) -> int:
    """Units of a case go on in another one; a case of which nothing is left never was. Returns the other's id."""
    cases = {key: locked_case(key) for key in sorted({request.case, request.into})}
    case, into = cases[request.case], cases[request.into]
    act.require("handle_cases", case.company_id, into.company_id)
    refuse_if(_join_problems(case, into))
    item = case.layer.item
    text = f"Joined: {plain(case.undecided)} {item.unit} of {item.code} of case {case.pk} go on in case {into.pk}"
    add_history(act, "join_cases", text, [*case_links(case), ("case", into.pk, into.company_id)])
    claims.join(case, into, act.at)
    bring_along(cases=[case.pk, into.pk])
    return into.pk


def _join_problems(case: Claim, into: Claim) -> list[Problem]:
    if case.pk == into.pk:
        return [Problem("This is the same case.", "into", "Choose another one.")]
    alike = (case.layer_id, case.kind, case.against_id) == (into.layer_id, into.kind, into.against_id)
    if not alike or case.kind != Claim.Kind.REJECTED or case.withdrawn_at or into.withdrawn_at:
        mend = "Choose a case of rejected units of the same receipt, against the same party."
        return [Problem(f"Case {into.pk} is about other goods.", "into", mend)]
    if not case.undecided:
        return [Problem("Every unit of this case has its way.", "into", "There is nothing to join.")]
    if not case.part_of_id:
        what = "This case is what an inspection, a receipt or a person opened."
        return [Problem(what, "into", "Join the parts that it was divided into to it instead.")]
    if case.undecided == case.quantity:
        # Of such a case nothing is left, and it never was.
        return settled_of([case.pk]) + costs_of([case.pk])
    return []
