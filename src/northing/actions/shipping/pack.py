"""Pack: shipments, containers, shipment lines, legs and voyages."""

from collections.abc import Iterable, Sequence
from dataclasses import dataclass, replace
from datetime import date
from decimal import Decimal

from northing.access.acts import Act
from northing.actions.shipping import milestones
from northing.actions.shipping.load import Change, open_shipment, require_packing, restow
from northing.activity.operations import add_history, once
from northing.core.money.periods import day_problems
from northing.core.problems import Problem, Refused, refuse_if
from northing.formats.identifiers import container_number, imo_number
from northing.shipping import operations as shipping
from northing.shipping.models import Container, PortCall
from northing.shipping.operations import CallPlan, LegPlan
from northing.shipping.queries import companies_aboard


@dataclass(frozen=True)
class ShipmentRequest:
    """A new shipment."""

    document: str = ""
    forwarder: int | None = None
    reference: str = ""
    mode: str = "sea"


@dataclass(frozen=True)
class ContainerRequest:
    """A container put into a shipment."""

    shipment: int
    number: str
    size_type: str
    seal: str = ""


@dataclass(frozen=True)
class VoyageRequest:
    """A vessel's voyage and the ports it calls at, in order."""

    vessel: str
    imo: str
    number: str
    carrier: int
    calls: tuple[CallPlan, ...]


@dataclass(frozen=True)
class PassageRequest:
    """The planned legs of a shipment. The voyage sails the main leg, where the leg does not name its calls."""

    shipment: int
    voyage: int | None
    legs: tuple[LegPlan, ...]


@dataclass(frozen=True)
class StowRequest:
    """Quantities (base unit) of instalments put into a container."""

    container: int
    rows: tuple[tuple[int, Decimal], ...]


@once
def create_shipment(act: Act, request: ShipmentRequest) -> int:
    """An empty shipment."""
    require_packing(act)
    shipment = shipping.write_shipment(act, request.reference, request.document, request.forwarder, request.mode)
    add_history(act, "create_shipment", f"Opened shipment {shipment.reference}", [("shipment", shipment.pk, None)])
    return shipment.pk


@once
def create_voyage(act: Act, request: VoyageRequest) -> int:
    """A voyage that shipments can share."""
    require_packing(act)
    refuse_if(_call_problems(request.calls))
    imo = imo_number(request.imo)
    voyage = shipping.write_voyage(request.vessel, imo, request.number, request.carrier, request.calls)
    add_history(act, "create_voyage", f"Entered voyage {voyage}", [("voyage", voyage.pk, None)])
    return voyage.pk


@once
def add_container(act: Act, request: ContainerRequest) -> int:
    """A container by its number."""
    shipment = open_shipment(act, request.shipment)
    number = container_number(request.number)
    container = shipping.write_container(shipment, number, request.size_type, request.seal)
    add_history(act, "add_container", f"Put container {number} into {shipment}", [("shipment", shipment.pk, None)])
    return container.pk


@once
def plan_passage(act: Act, request: PassageRequest) -> int:
    """Plan the legs; dock dates of everything aboard follow."""
    shipment = open_shipment(act, request.shipment)
    companies = companies_aboard([shipment.pk])
    require_packing(act, companies)
    refuse_if([] if request.legs else [Problem("Plan at least one leg.", "legs")])
    legs = _with_calls(request)
    refuse_if(_leg_problems(legs))
    refuse_if(sailed_problems(legs))
    shipping.write_legs(shipment, legs)
    shipping.fill_call_plans(legs)
    words = f"Planned {len(legs)} legs" + (f" with {shipment.voyage}" if shipment.voyage else "")
    links = [("shipment", shipment.pk, None)]
    add_history(act, "plan_passage", f"{words}; at the dock on {legs[-1].end:%-d %b %Y}", links)
    milestones.follow_dates(act, [shipment])
    return shipment.pk


def _call_problems(calls: Sequence[CallPlan]) -> list[Problem]:
    if len(calls) < 2:
        return [Problem("A voyage calls at two ports at least.", "calls", "Enter where it loads and discharges.")]
    found, last = [], None
    for place, call in enumerate(calls):
        where = f"calls-{place}"
        if place and call.port == calls[place - 1].port:
            what = "The voyage ends where it starts." if len(calls) == 2 else "The call before is at the same port."
            found.append(Problem(what, where, "Choose another port."))
        for day in (call.arrival, call.departure):
            if day:
                found += day_problems(day, where)
                if last and day < last:
                    found.append(Problem("This is before the day above.", where, "Correct one of the dates."))
                last = day
    return found


def _with_calls(request: PassageRequest) -> list[LegPlan]:
    """The legs with the calls that they sail from and to, and the days that the voyages say.

    Of the voyage that is chosen the main leg takes the calls at its own ports; where it names none of them, the first
    and the last. Raises Refused where the ports lie the other way round.
    """
    legs = list(request.legs)
    if request.voyage:
        for index, leg in enumerate(legs):
            if leg.main and leg.load_call is None:
                load, discharge = _calls_of(request.voyage, leg, f"legs-{index}")
                legs[index] = replace(leg, load_call=load.pk, discharge_call=discharge.pk)
    keys = [key for leg in legs for key in (leg.load_call, leg.discharge_call) if key]
    calls = PortCall.objects.select_related("port").in_bulk(keys)
    return [_as_sailed(leg, calls) if leg.load_call else leg for leg in legs]


def _calls_of(voyage: int, leg: LegPlan, where: str) -> tuple[PortCall, PortCall]:
    calls = list(PortCall.objects.filter(voyage=voyage, omitted=False).select_related("port").order_by("number"))

    def at(place: str) -> list[PortCall]:
        text = place.strip().upper()
        return [call for call in calls if text in (call.port_id, call.port.name.upper())]

    load = (at(leg.origin) or calls[:1])[0]
    later = [call for call in at(leg.destination) or calls[-1:] if call.number > load.number]
    if not later:
        what = f"The voyage does not sail from {leg.origin} to {leg.destination}."
        raise Refused(Problem(what, where, "Choose another voyage, or correct the ports of this leg."))
    return load, later[0]


def _as_sailed(leg: LegPlan, calls: dict[int, PortCall]) -> LegPlan:
    load, discharge = calls[leg.load_call], calls[leg.discharge_call]
    start = load.expected_departure or load.planned_departure or leg.start
    end = discharge.expected_arrival or discharge.planned_arrival or leg.end
    return replace(leg, start=start, end=max(start, end))


def sailed_problems(legs: Iterable[LegPlan]) -> list[Problem]:
    """Nothing is put on a vessel that has left, that is called off, or that does not call there any more."""
    keys = [leg.load_call for leg in legs if leg.load_call]
    found = []
    for call in PortCall.objects.filter(pk__in=keys).select_related("voyage").order_by("pk"):
        gone = call.statements.filter(kind="actual", milestone="departure", retracted=False).first()
        if gone:
            what = f"{call.voyage} departed on {gone.value:%-d %b %Y}."
            found.append(Problem(what, "voyage", "Choose a voyage that has not."))
        if call.voyage.blanked_at:
            found.append(Problem(f"{call.voyage} is called off.", "voyage", "Choose another voyage."))
    return found


def _leg_problems(legs: Sequence[LegPlan]) -> list[Problem]:
    found: list[Problem] = []
    before: date | None = None
    for index, leg in enumerate(legs):
        where, name = f"legs-{index}", f"The leg from {leg.origin} to {leg.destination}"
        strange = day_problems(leg.start, where) + day_problems(leg.end, where)
        found += [replace(problem, what=f"{name}: {problem.what}") for problem in strange]
        if leg.end < leg.start:
            found.append(Problem(f"{name} ends before it starts.", where, "Correct one of its dates."))
        if before and leg.start < before:
            found.append(Problem(f"{name} starts before the one above it ends.", where, "Correct one of the dates."))
        before = leg.end
    if sum(leg.main for leg in legs) != 1:
        found.append(Problem("Exactly one leg is the main one, sailed by the voyage.", "legs", "Mark the sea leg."))
    return found


@once
def stow(act: Act, request: StowRequest) -> int:
    """Put parts of lines into a container, on top of what it holds."""
    container = Container.objects.select_related("shipment").get(pk=request.container)
    shipment = open_shipment(act, container.shipment_id)
    rows = [(key, quantity) for key, quantity in request.rows if quantity]
    if not rows:
        raise Refused(Problem("Nothing was entered to pack.", "rows", "Type a quantity beside a line."))
    negative = [Problem("The quantity must be above 0.", f"row-{key}") for key, quantity in rows if quantity < 0]
    refuse_if(negative)
    changes = [Change(container, key, quantity, f"row-{key}") for key, quantity in rows]
    restow(act, shipment, changes)
    return shipment.pk
