"""Build a shipment in one act: open it, put what is wanted into its containers, plan its passage."""

from dataclasses import dataclass, replace
from datetime import date

from northing.access.acts import Act
from northing.actions.shipping import load as load_action
from northing.actions.shipping import pack
from northing.actions.shipping.route import RouteRequest, plan_by_route
from northing.activity.operations import once
from northing.core.problems import Problem, Refused
from northing.masterdata.models import Port, RouteLeg
from northing.orders.models import Instalment
from northing.shipping.models import CARRIED, Shipment
from northing.shipping.operations import CallPlan


@dataclass(frozen=True)
class NewVoyage:
    """A voyage to be entered with the load: from the port where the goods load to the port of their dock."""

    vessel: str
    imo: str
    number: str
    carrier: int
    leaves: date
    arrives: date


@dataclass(frozen=True)
class BuildRequest:
    """A shipment (id; None: a new one), what its containers should hold, and its route with voyages (ids).

    A new voyage is entered first, and sails it before the others.
    """

    load: load_action.LoadRequest
    opening: pack.ShipmentRequest | None = None
    route: str = ""
    voyages: tuple[int, ...] = ()
    begin: date | None = None
    new_voyage: NewVoyage | None = None


@once
def build(act: Act, request: BuildRequest) -> dict:
    """Do all of it, or nothing. Returns the shipment (id) and what to mind. Raises Refused with what stands against
    it."""
    load = request.load
    if request.opening is not None:
        load = replace(load, shipment=pack.create_shipment(act.inner(), request.opening))
    voyages = request.voyages
    if request.new_voyage is not None:
        voyages = (_entered(act, request, request.new_voyage), *voyages)
    asked = RouteRequest(load.shipment, request.route, voyages, request.begin)
    if request.route:
        plan_by_route(act.inner(), asked)
    done = load_action.load(act.inner(), load)
    if voyages and not request.route:
        # The ports follow from the goods that are aboard now.
        plan_by_route(act.inner(), asked)
        late = load_action.in_time(Shipment.objects.get(pk=load.shipment), accept=load.accept)
        done = done | {"warnings": [*done["warnings"], *late]}
    return done


def _entered(act: Act, request: BuildRequest, new: NewVoyage) -> int:
    """Enter the voyage, with its two calls."""
    load, discharge = _ports(request)
    calls = (CallPlan(load, None, new.leaves), CallPlan(discharge, new.arrives, None))
    return pack.create_voyage(act.inner(), pack.VoyageRequest(new.vessel, new.imo, new.number, new.carrier, calls))


def _ports(request: BuildRequest) -> tuple[str, str]:
    """Where the vessel loads and discharges: by the route, else by the goods. Raises Refused where that is not one."""
    if request.route:
        legs = RouteLeg.objects.filter(route=request.route, mode__in=CARRIED).order_by("number")
        found = {(leg.origin, leg.destination) for leg in legs}
    else:
        keys = [key for box in request.load.boxes for key, quantity in box.rows if quantity]
        goods = Instalment.objects.filter(pk__in=keys).order_by()
        found = set(goods.values_list("line__order__supplier__port", "line__order__site__port").distinct())
    ends = next(iter(found)) if len(found) == 1 else ()
    if len(ends) != 2 or Port.objects.filter(pk__in=[end for end in ends if end]).count() != 2:
        what = "The goods do not all go from one port to one other, so the calls of the new voyage are not known."
        raise Refused(Problem(what, "vessel", "Enter the voyage with its port calls first, and choose it here."))
    return ends
