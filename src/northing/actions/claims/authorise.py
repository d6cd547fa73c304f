"""The supplier takes back units of a case under its reference, and says what it owes for them."""

from dataclasses import dataclass
from datetime import date
from decimal import Decimal

from northing.access.acts import Act, future_problem
from northing.actions.claims.out_of_stock import open_problems
from northing.actions.quality.inspect import links_of
from northing.actions.receiving.held_cases import held_links
from northing.actions.reversal import ReverseRequest, refuse_reversal
from northing.actions.worklist.refresh import bring_along
from northing.activity.operations import add_history, once
from northing.claims import operations as claims
from northing.claims.models import Authorisation, Claim
from northing.claims.queries import authorisation_of, standing_by
from northing.core.money.exact import plain
from northing.core.problems import Problem, refuse_if


@dataclass(frozen=True)
class AuthoriseRequest:
    """Units of a case (its id) that the supplier takes back, and whether it owes a credit note or a replacement."""

    case: int
    quantity: Decimal
    reference: str
    occurred_on: date
    owed: str = Authorisation.Owed.CREDIT


@once
def authorise(act: Act, request: AuthoriseRequest) -> int:
    """So many units may go back; they are still here. Returns the authorisation's id."""
    case = locked_case(request.case)
    act.require("handle_cases", case.company_id)
    act.require_supplier(case.supplier_id)
    refuse_if(_problems(act, request, case))
    return authorised(act, request, case).pk


def authorised(act: Act, request: AuthoriseRequest, case: Claim) -> Authorisation:
    """Write that units of a case may go back, without asking whether it can be."""
    item, reference = case.layer.item, request.reference.strip()
    text = f"{case.supplier} takes back {plain(request.quantity)} {item.unit} of {item.code} under {reference}"
    text += ", for replacement" if request.owed == Authorisation.Owed.REPLACEMENT else ""
    history = add_history(act, "authorise", text, case_links(case), request.occurred_on)
    said = Authorisation(
        company=case.company,
        case=case,
        quantity=request.quantity,
        reference=reference,
        owed=request.owed,
        occurred_on=request.occurred_on,
        by=act.person,
        at=act.at,
        history=history,
    )
    claims.authorise(said)
    case.authorised += request.quantity
    bring_along(cases=[case.pk])
    return said


def locked_case(key: int) -> Claim:
    """A case, so that nobody else changes it meanwhile."""
    found = Claim.objects.select_for_update(of=("self",)).select_related(
        "supplier", "company", "against", "layer__item"
    )
    return found.get(pk=key)


def case_links(case: Claim) -> list[tuple[str, int, int | None]]:
    """Where an act on a case is told of: on the case, its order and its item."""
    of_goods = held_links(case.layer) if case.of_no_order else links_of(case.layer)
    return [*of_goods, ("case", case.pk, case.company_id)]


@once
def take_back_authorisation(act: Act, request: ReverseRequest) -> int:
    """It was not said after all: the units have no way again. Returns the case's id."""
    said = Authorisation.objects.select_related("case").get(pk=request.record)
    case = locked_case(said.case_id)
    act.require("handle_cases", case.company_id)
    said.refresh_from_db(fields=["reversed_by", "returned"])
    refuse_reversal("authorisation", said.reversed_by_id, request.reason)
    refuse_if(_gone_back(said))
    text = f"{plain(said.quantity)} {case.layer.item.unit} of {case.layer.item.code} are not taken back under"
    text += f" {said.reference}: {request.reason.strip()}"
    history = add_history(act, "take_back_authorisation", text, case_links(case), act.today)
    claims.take_back_authorisation(said, history)
    bring_along(cases=[case.pk])
    return case.pk


def _gone_back(said: Authorisation) -> list[Problem]:
    """What stands on an authorisation: units that went back, and such as were ordered in their place."""
    found = []
    if said.returned:
        what = f"{plain(said.returned)} of these units went back."
        found.append(Problem(what, mend="Reverse their return first.", record=("case", said.case_id)))
    if waits := standing_by(said.pk):
        what = f"{plain(waits)} of these units are prepared for a return."
        found.append(Problem(what, mend="Despatch or cancel that return first.", record=("case", said.case_id)))
    stands = said.replacements.filter(order_line__order__cancelled_at=None).select_related("order_line")
    for one in stands:
        what = f"{plain(one.quantity)} of these units are ordered anew."
        found.append(Problem(what, mend="Cancel that order first.", record=("order", one.order_line.order_id)))
    return found


def _problems(act: Act, request: AuthoriseRequest, case: Claim) -> list[Problem]:
    found = future_problem(request.occurred_on, act)
    found += open_problems(case, request.quantity, "Authorise at most that many.")
    reference = request.reference.strip()
    if not reference:
        found.append(Problem("The supplier's reference is missing.", "reference", "Enter the number it gave."))
    if len(reference) > 40:
        found.append(Problem("The reference is longer than 40 characters.", "reference", "Enter its number only."))
    if request.owed not in Authorisation.Owed:
        found.append(Problem("A unit is owed as a credit note or as a replacement.", "owed", "Choose one of them."))
    if reference and authorisation_of(case.pk, reference):
        what = f"{reference} is used in this case already."
        found.append(Problem(what, "reference", "Take that authorisation back, or enter the new number."))
    return found
