"""What happens to containers by themselves: discharged, taken out of the port, given back empty."""

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date

from northing.core.problems import Problem, Refused, refuse_if
from northing.deeds.aftermath import bring_along
from northing.directory.acts import Act, future_problem
from northing.papers.operations import once, tell
from northing.reports.clocks import FACTS, facts_of
from northing.shipping import operations as shipping
from northing.shipping.models import Container
from northing.shipping.queries import companies_aboard

WORDS = {"discharged": "discharged", "gate_out": "taken out of the port", "returned": "given back empty"}


@dataclass(frozen=True)
class BoxesRequest:
    """One milestone of many containers of one shipment (ids), on one day."""

    shipment: int
    containers: tuple[int, ...]
    milestone: str
    value: date
    said: shipping.Said | None = None


@once
def say_boxes(act: Act, request: BoxesRequest) -> int:
    """Record what happened to containers; said again it is corrected. Returns how many."""
    shipment = shipping.lock([request.shipment]).get(request.shipment)
    if shipment is None:
        raise Refused(Problem("There is no such shipment.", "shipment"))
    companies = companies_aboard([shipment.pk])
    act.require("say_dates", *companies)
    boxes = list(Container.objects.filter(shipment=shipment, pk__in=request.containers).select_related("shipment"))
    refuse_if(_problems(act, request, boxes))
    for box in boxes:
        shipping.write_statement(act, None, None, request.milestone, "actual", request.value, box, request.said)
    names = ", ".join(box.number for box in boxes[:6]) + (f" and {len(boxes) - 6} more" if len(boxes) > 6 else "")
    links = [("shipment", shipment.pk, None), *(("container", box.pk, None) for box in boxes)]
    tell(act, "say_boxes", f"{names}: {WORDS[request.milestone]}", links, request.value)
    bring_along(shipments=[shipment.pk])
    return len(boxes)


def _problems(act: Act, request: BoxesRequest, boxes: Sequence[Container]) -> list[Problem]:
    if request.milestone not in FACTS:
        return [Problem("Say discharged, gate out or returned.", "milestone")]
    if not boxes or len(boxes) < len(set(request.containers)):
        return [Problem("Pick containers of this shipment.", "containers")]
    found = future_problem(request.value, act, "value")
    arrived = boxes[0].shipment.arrived_on
    if arrived is None:
        return [Problem("The shipment has not arrived.", "milestone", "Record its arrival first."), *found]
    facts, place = facts_of(boxes), FACTS.index(request.milestone)
    for box in boxes:
        known = facts[box.pk]
        before = max([arrived, *(known[one] for one in FACTS[:place] if one in known)])
        after = [known[one] for one in FACTS[place + 1 :] if one in known]
        if request.value < before:
            what = f"{box.number}: the step before was on {before:%-d %b %Y}."
            found.append(Problem(what, "value", "Check the day."))
        elif after and request.value > min(after):
            what = f"{box.number}: the step after was on {min(after):%-d %b %Y}."
            found.append(Problem(what, "value", "Correct that one first."))
    return found
