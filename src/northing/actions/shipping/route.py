"""Plan a passage by a route pattern: all dates of its legs follow from the voyages that are chosen."""

from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from datetime import date

from northing.access.acts import Act
from northing.actions.shipping import pack
from northing.activity.operations import once
from northing.core.planning.routes import Step, worked_out
from northing.core.problems import Problem, Refused
from northing.masterdata.models import RouteLeg
from northing.masterdata.queries import calendars_of
from northing.shipping.models import CARRIED, PortCall, ShipmentLine
from northing.shipping.operations import LegPlan, with_main


@dataclass(frozen=True)
class RouteRequest:
    """A route by its name, the voyages (ids) that sail its legs in their order, and the first day without any.

    Without a route the voyages are the passage: from where the goods' suppliers load to where their sites discharge.
    """

    shipment: int
    route: str
    voyages: tuple[int, ...] = ()
    begin: date | None = None


@once
def plan_by_route(act: Act, request: RouteRequest) -> int:
    """Plan the legs of a shipment by a pattern. Returns the shipment (id)."""
    plans = tuple(legs_by_route(request, act.today) if request.route else legs_by_voyages(request))
    return pack.plan_passage(act.inner(), pack.PassageRequest(request.shipment, None, plans))


def legs_by_route(request: RouteRequest, today: date) -> list[LegPlan]:
    """The legs with their dates. Raises Refused where the route is not known, or no chosen voyage sails a leg."""
    pattern = list(RouteLeg.objects.filter(route=request.route).order_by("number"))
    if not pattern:
        raise Refused(Problem("There is no such route.", "route", "Choose one, or enter it under House."))
    calls = _calls(pattern, request.voyages)
    calendars = calendars_of({leg.country for leg in pattern if leg.country})
    steps = [
        Step(
            leg.wait_days,
            leg.days,
            leg.days_in,
            calendars.of(leg.country, leg.site_id),
            *(_days_of(calls[leg.pk]) if leg.pk in calls else (None, None)),
        )
        for leg in pattern
    ]
    dates = worked_out(steps, request.begin or today)
    plans = []
    for leg, (start, end) in zip(pattern, dates, strict=True):
        load, discharge = calls.get(leg.pk, (None, None))
        keys = (load and load.pk, discharge and discharge.pk)
        plans.append(LegPlan(leg.mode, leg.origin, leg.destination, start, end, False, *keys))
    return with_main(plans)


def legs_by_voyages(request: RouteRequest) -> list[LegPlan]:
    """A leg for each voyage. Raises Refused where two of them meet at no port."""
    calls = PortCall.objects.filter(voyage__in=request.voyages, omitted=False).order_by("number")
    by_voyage: dict[int, list[PortCall]] = {}
    for call in calls.select_related("port"):
        by_voyage.setdefault(call.voyage_id, []).append(call)
    chain = [by_voyage.get(voyage, []) for voyage in dict.fromkeys(request.voyages)]
    aboard = ShipmentLine.objects.filter(container__shipment=request.shipment)
    order = "instalment__line__order"
    ports = set(aboard.order_by().values_list(f"{order}__supplier__port", f"{order}__site__port"))
    begin, plans = {load for load, _ in ports}, []
    for place, of_voyage in enumerate(chain):
        ends = {call.port_id for call in chain[place + 1]} if place + 1 < len(chain) else {port for _, port in ports}
        load = next((call for call in of_voyage if call.port_id in begin), of_voyage[0] if of_voyage else None)
        later = [call for call in of_voyage if load and call.number > load.number]
        discharge = next((call for call in later if call.port_id in ends), None)
        if discharge is None and place + 1 == len(chain):
            discharge = later[-1] if later else None
        if load is None or discharge is None:
            raise Refused(Problem("The voyages meet at no port.", "voyage", "Choose the route that they sail."))
        days = load.expected_departure, discharge.expected_arrival
        if None in days:
            raise Refused(Problem("A call of the voyage has no day.", "voyage", "Enter its days on the voyage's page."))
        plans.append(LegPlan("sea", load.port_id, discharge.port_id, *days, False, load.pk, discharge.pk))
        begin = {discharge.port_id}
    return with_main(plans)


def _days_of(calls: tuple[PortCall, PortCall]) -> tuple[date | None, date | None]:
    load, discharge = calls
    return load.expected_departure, discharge.expected_arrival


def _calls(pattern: Iterable[RouteLeg], voyages: Sequence[int]) -> dict[int, tuple[PortCall, PortCall]]:
    """For each leg (id) that a vessel carries the calls it sails between: of the chosen voyages the first that does."""
    calls = list(PortCall.objects.filter(voyage__in=voyages, omitted=False).order_by("number"))
    found: dict[int, tuple[PortCall, PortCall]] = {}
    left = list(dict.fromkeys(voyages))
    for leg in pattern:
        if leg.mode not in CARRIED:
            continue
        for voyage in left:
            between = _between([call for call in calls if call.voyage_id == voyage], leg)
            if between:
                found[leg.pk] = between
                left.remove(voyage)
                break
    if left:
        raise Refused(Problem("A voyage that is chosen sails no leg of this route.", "voyage", "Choose another."))
    return found


def _between(calls: list[PortCall], leg: RouteLeg) -> tuple[PortCall, PortCall] | None:
    for load in calls:
        for discharge in calls:
            ports = (load.port_id, discharge.port_id)
            if load.number < discharge.number and ports == (leg.origin.upper(), leg.destination.upper()):
                return load, discharge
    return None
