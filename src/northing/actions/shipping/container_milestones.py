"""Milestones of containers: discharged, taken out of the port, returned empty; planned or actual."""

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from datetime import date

from northing.access.acts import Act, future_problem
from northing.actions.shipping import milestones
from northing.actions.shipping.ripple import Ripple, foresee, moving
from northing.activity.operations import add_history, once
from northing.core.money.periods import far_problems
from northing.core.problems import Problem, Refused, refuse_if
from northing.reports.clocks import FACTS, facts_of
from northing.shipping import dates
from northing.shipping import operations as shipping
from northing.shipping.dates import IMPLIED, Said
from northing.shipping.models import Container, DateStatement, Shipment
from northing.shipping.queries import OWN, companies_aboard, planned_legs

Kind = DateStatement.Kind
WORDS = {"discharged": "discharged", "gate_out": "taken out of the port", "returned": "given back empty"}


@dataclass(frozen=True)
class BoxesRequest:
    """One milestone of many containers of one shipment (ids), on one day.

    A plan or an estimate goes before the vessel's dates: the container has a day at the dock of its own.
    """

    shipment: int
    containers: tuple[int, ...]
    milestone: str
    value: date
    said: Said | None = None
    kind: str = "actual"


@once
def say_boxes(act: Act, request: BoxesRequest) -> int:
    """Record what happened to containers, or is to; said again it is corrected. Returns how many.

    A container that was discharged, or left the port, came with a vessel: where no one said that it arrived, it has.
    """
    shipment = shipping.lock([request.shipment]).get(request.shipment)
    if shipment is None:
        raise Refused(Problem("There is no such shipment.", "shipment"))
    act.require("say_dates", *companies_aboard([shipment.pk]))
    boxes = _boxes(request)
    refuse_if(_problems(act, request, boxes))
    came = [shipment]
    if lands(request, shipment):
        came = arrive_first(act, shipment.pk, request.milestone, request.value, request.said)
    for box in boxes:
        dates.write_statement(act, None, None, request.milestone, request.kind, request.value, box, request.said)
    _tell(act, request, boxes)
    milestones.follow_dates(act, came)
    return len(boxes)


def lands(request: BoxesRequest, shipment: Shipment) -> bool:
    """Whether it says that the vessel is there, which no one has said yet."""
    return request.kind == Kind.ACTUAL and shipment.arrived_on is None


def _boxes(request: BoxesRequest) -> list[Container]:
    boxes = Container.objects.filter(shipment=request.shipment, pk__in=request.containers)
    return list(boxes.select_related("shipment").order_by("pk"))


def _tell(act: Act, request: BoxesRequest, boxes: Sequence[Container]) -> None:
    links = [("shipment", request.shipment, None), *(("container", box.pk, None) for box in boxes)]
    words = words_of([box.number for box in boxes], request.milestone, request.kind, request.value)
    add_history(act, "say_boxes", words, links, request.value if request.kind == Kind.ACTUAL else None)


def words_of(numbers: Sequence[str], milestone: str, kind: str, day: date) -> str:
    """The milestones of containers (by number), past or to come."""
    names = ", ".join(numbers[:6]) + (f" and {len(numbers) - 6} more" if len(numbers) > 6 else "")
    how = "" if kind == Kind.ACTUAL else f"{kind} to be "
    return f"{names}: {how}{WORDS[milestone]} {day:%-d %b %Y}"


def preview(act: Act, request: BoxesRequest, companies: set[int]) -> Ripple:
    """The lines of these companies that would come to the dock on another day. Raises Refused where the action does."""
    boxes = _boxes(request)
    refuse_if(_problems(act, request, boxes))
    shipment = Shipment.objects.get(pk=request.shipment)
    if lands(request, shipment):
        return foresee(act, say_boxes, request, companies)
    if request.milestone not in OWN:
        return Ripple([], [])
    planned, _ = planned_legs([shipment], act.today)
    return Ripple(moving(planned, act.today, companies, [_unsaved(request, box) for box in boxes]), [])


def _unsaved(request: BoxesRequest, box: Container) -> DateStatement:
    said = DateStatement(container=box, milestone=request.milestone, kind=request.kind, value=request.value)
    said.said_at = milestones.FROM_NOW_ON
    return said


def arrive_first(act: Act, shipment: int, milestone: str, day: date, said: Said | None) -> list[Shipment]:
    """Record the arrival of what a shipment (id) came with, which no one spoke of: by that day it was there.

    Returns the shipments that came with it; their dates are followed by the person who calls this.
    """
    record = Shipment.objects.get(pk=shipment)
    main = record.legs.filter(main=True).first()
    if main is None:
        raise Refused(Problem("The shipment has no passage yet.", "milestone", "Plan its legs first."))
    implied = Said(IMPLIED, f"no one: it follows from {WORDS[milestone]}", said.event if said else None)
    expected = max(main.expected_end, record.departed_on or main.expected_end)
    asked = milestones.DateRequest(main.pk, "arrival", Kind.ACTUAL, min(day, expected), implied)
    return milestones.say(act.inner(), asked)


def _problems(act: Act, request: BoxesRequest, boxes: Sequence[Container]) -> list[Problem]:
    if request.milestone not in FACTS:
        return [Problem("Say discharged, gate out or returned.", "milestone")]
    if request.kind not in Kind.values or (request.kind != Kind.ACTUAL and request.milestone not in OWN):
        return [Problem("An empty return is recorded when it has happened.", "kind")]
    if not boxes or len(boxes) < len(set(request.containers)):
        return [Problem("Pick containers of this shipment.", "containers")]
    if request.kind != Kind.ACTUAL:
        return far_problems(request.value, act.today, "value")
    return [*future_problem(request.value, act, "value"), *_order_problems(request, boxes)]


def _order_problems(request: BoxesRequest, boxes: Sequence[Container]) -> list[Problem]:
    facts, shipment = facts_of(boxes), boxes[0].shipment
    sailed = (shipment.departed_on, shipment.arrived_on)
    found = [step_problems(request.milestone, request.value, box.number, facts[box.pk], sailed) for box in boxes]
    return [problem for some in found for problem in some]


def step_problems(
    milestone: str, day: date, number: str, facts: Mapping[str, date], sailed: Iterable[date | None]
) -> list[Problem]:
    """A container (by number) is discharged, leaves the port and is given back in this order, after it has sailed."""
    place = FACTS.index(milestone)
    before = [*sailed, *(facts.get(one) for one in FACTS[:place])]
    after = [facts[one] for one in FACTS[place + 1 :] if one in facts]
    latest = max((one for one in before if one), default=day)
    if day < latest:
        return [Problem(f"{number}: the step before was on {latest:%-d %b %Y}.", "value", "Check the day.")]
    if after and day > min(after):
        what = f"{number}: the step after was on {min(after):%-d %b %Y}."
        return [Problem(what, "value", "Correct that one first.")]
    return []
