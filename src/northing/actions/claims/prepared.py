"""Prepared returns: their goods stand by, no longer available, until they are despatched or not sent after all."""

from dataclasses import dataclass
from datetime import date
from decimal import Decimal

from northing.access.acts import Act, future_problem
from northing.actions.claims.authorise import AuthoriseRequest, authorised, take_back_authorisation
from northing.actions.claims.returns import Back, go_back
from northing.actions.claims.set_aside import take_back
from northing.actions.quality.inspect import locked_layers
from northing.actions.reversal import ReverseRequest
from northing.actions.worklist.refresh import bring_along
from northing.activity.operations import once
from northing.claims import operations as claims
from northing.claims.models import Claim, GoodsReturn, ReturnLine
from northing.claims.queries import authorisation_of, standing_by
from northing.core.problems import Problem, Refused, refuse_if


@dataclass(frozen=True)
class DespatchRequest:
    """A prepared return (its id) leaves on a day, by a haulier."""

    goods_return: int
    occurred_on: date
    haulier: str = ""


@dataclass(frozen=True)
class Part:
    """Units of a case that go under a reference; `set_aside`: the case was opened for this return."""

    case: Claim
    units: Decimal
    reference: str
    set_aside: bool
    serials: tuple[str, ...]


def stand_by(act: Act, made: GoodsReturn, part: Part) -> ReturnLine:
    """Units of a case stand by for a return: they are authorised under its reference, if they were not."""
    case, units, reference = part.case, part.units, part.reference
    said = authorisation_of(case.pk, reference)
    fresh = said is None
    if said is not None and said.left - standing_by(said.pk) < units:
        what = f"{reference} is used for other units of case {case.pk} already."
        raise Refused(Problem(what, "reference", "Enter the number that the supplier gave for these."))
    if said is None:
        said = authorised(act, AuthoriseRequest(case.pk, units, reference, made.occurred_on), case)
    line = ReturnLine(goods_return=made, authorisation=said, quantity=units, authorised=fresh, set_aside=part.set_aside)
    line.serials = "\n".join(part.serials)
    return claims.write_return_line(line)


@once
def despatch_return(act: Act, request: DespatchRequest) -> int:
    """The goods of a prepared return leave: out of stock, positions and books. Returns its id."""
    made = _locked(act, request.goods_return)
    refuse_if(future_problem(request.occurred_on, act))
    lines = list(made.stands_by.select_related("authorisation").order_by("pk"))
    found = Claim.objects.select_for_update(of=("self",)).select_related("supplier", "company")
    cases = found.order_by("pk").in_bulk({line.authorisation.case_id for line in lines})
    layers = locked_layers({case.layer_id for case in cases.values()})
    rows = []
    for line in lines:
        case, said = cases[line.authorisation.case_id], line.authorisation
        if said.left < line.quantity:
            what = f"Only {said.left:f} of the units under {said.reference} are still here."
            raise Refused(Problem(what, mend="Cancel this return, and prepare what is left.", record=("case", case.pk)))
        numbers = tuple(line.serials.splitlines())
        rows.append(Back(case, layers[case.layer_id], line.quantity, said.reference, made, numbers))
    go_back(act, rows, request.occurred_on)
    bring_along(cases=cases)
    claims.mark_despatched(made, act.at, request.occurred_on, request.haulier.strip()[:80] or made.haulier)
    return made.pk


@once
def cancel_return(act: Act, request: ReverseRequest) -> int:
    """A prepared return is not sent: what was done for it is undone. Returns its id."""
    made = _locked(act, request.record)
    refuse_if([] if request.reason.strip() else [Problem("Say why.", "reason", "One sentence is enough.")])
    claims.mark_cancelled(made, act.at)
    for line in made.stands_by.select_related("authorisation__case").order_by("-pk"):
        said = line.authorisation
        if line.authorised and not said.returned:
            _not_authorised(act, line, request.reason)
        # Units that went back meanwhile have their end; the others stay in their case.
        if line.set_aside and not said.case.ended:
            take_back(act.inner(), ReverseRequest(said.case_id, request.reason))
    return made.pk


def _not_authorised(act: Act, line: ReturnLine, reason: str) -> None:
    take_back_authorisation(act.inner(), ReverseRequest(line.authorisation_id, reason))


def _locked(act: Act, key: int) -> GoodsReturn:
    made = GoodsReturn.objects.select_for_update(of=("self",)).select_related("company", "supplier").get(pk=key)
    act.require_at("return_goods", made.company_id, made.site_id)
    if not made.prepared:
        how = "not sent after all" if made.cancelled_at else "despatched"
        raise Refused(Problem(f"{made} was {how} already."))
    return made
