"""Build a shipment in one act: open it, put what is wanted into its containers, plan its passage."""

from dataclasses import dataclass, replace
from datetime import date

from northing.access.acts import Act
from northing.actions.shipping import load as load_action
from northing.actions.shipping import pack
from northing.actions.shipping.route import RouteRequest, plan_by_route
from northing.activity.operations import once
from northing.shipping.models import Shipment


@dataclass(frozen=True)
class BuildRequest:
    """A shipment (id; None: a new one), what its containers should hold, and its route with voyages (ids)."""

    load: load_action.LoadRequest
    opening: pack.ShipmentRequest | None = None
    route: str = ""
    voyages: tuple[int, ...] = ()
    begin: date | None = None


@once
def build(act: Act, request: BuildRequest) -> dict:
    """Do all of it, or nothing. Returns the shipment (id) and what to mind. Raises Refused with what stands against
    it."""
    load = request.load
    if request.opening is not None:
        load = replace(load, shipment=pack.create_shipment(act.inner(), request.opening))
    asked = RouteRequest(load.shipment, request.route, request.voyages, request.begin)
    if request.route:
        plan_by_route(act.inner(), asked)
    done = load_action.load(act.inner(), load)
    if request.voyages and not request.route:
        # The ports follow from the goods that are aboard now.
        plan_by_route(act.inner(), asked)
        late = load_action.in_time(Shipment.objects.get(pk=load.shipment), accept=load.accept)
        done = done | {"warnings": [*done["warnings"], *late]}
    return done
