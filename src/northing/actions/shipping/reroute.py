"""What really happens to a voyage: rolled, vessel swapped, port omitted, sailing called off, a container split off, the
shipment landed elsewhere. Each is one action; `ripple.foresee` shows its ripple without doing it.
"""

from collections.abc import Iterable
from dataclasses import dataclass
from datetime import date

from northing.access.acts import Act
from northing.access.permissions import require_somewhere
from northing.actions.shipping import milestones
from northing.actions.shipping.load import require_packing
from northing.actions.worklist.refresh import bring_along
from northing.activity.operations import Link, add_history, once
from northing.core.problems import Problem, Refused, refuse_if
from northing.formats.identifiers import imo_number
from northing.shipping import operations as shipping
from northing.shipping.models import Container, DateStatement, Leg, PortCall, Shipment, Voyage
from northing.shipping.queries import companies_aboard


@dataclass(frozen=True)
class RollRequest:
    """Shipments (ids; none: all that have not left with it) go from one voyage to another."""

    voyage: int
    to: int
    shipments: tuple[int, ...] = ()


@dataclass(frozen=True)
class SwapRequest:
    """Another vessel sails the voyage, under the same or another number."""

    voyage: int
    vessel: str
    imo: str
    number: str


@dataclass(frozen=True)
class OmitRequest:
    """A call (id) is left out; what was to be discharged there is discharged at another call (id)."""

    call: int
    instead: int | None = None


@dataclass(frozen=True)
class BlankRequest:
    """A voyage is called off; all that was to sail with it goes with another."""

    voyage: int
    to: int | None = None


@dataclass(frozen=True)
class SplitRequest:
    """Containers (ids) of one shipment become a shipment of their own, on another voyage where one is named."""

    shipment: int
    containers: tuple[int, ...]
    to: int | None = None


@dataclass(frozen=True)
class LandRequest:
    """A shipment is discharged at another call (id) of its voyage, and goes on from there to a place."""

    shipment: int
    call: int
    destination: str
    days: int = 1


@once
def roll(act: Act, request: RollRequest) -> int:
    """Roll shipments to another voyage. The plan stays, so that the slip is seen. Returns how many."""
    source, target = _voyage(request.voyage), _voyage(request.to, "to")
    legs = _legs_of(source, request.shipments)
    shipments = _locked(act, legs)
    _roll(act, legs, shipments, target)
    add_history(act, "roll", f"{_many(shipments)} rolled from {source} to {target}", _links(shipments, source, target))
    return len(shipments)


def _roll(act: Act, legs: list[Leg], shipments: dict[int, Shipment], target: Voyage) -> None:
    refuse_if([] if legs else [Problem("Nothing of ours is to sail with it any more.", "shipments")])
    if target.blanked_at:
        raise Refused(Problem(f"{target} is called off.", "to", "Choose another voyage."))
    calls = list(PortCall.objects.filter(voyage=target, omitted=False).order_by("number"))
    gone = _happened(calls)
    problems = []
    for leg in legs:
        found = _same_ports(leg, calls)
        if found is None:
            ports = f"{leg.load_call.port_id} to {leg.discharge_call.port_id}"
            problems.append(Problem(f"{target} does not sail from {ports}.", "to", "Choose another voyage."))
        elif found[0].pk in gone:
            day = gone[found[0].pk]
            problems.append(Problem(f"{target} departed on {day:%-d %b %Y}.", "to", "Choose one that has not."))
        else:
            leg.load_call, leg.discharge_call = found
    refuse_if(problems[:5])
    shipping.move_legs(legs)
    _follow(act, shipments)


def _same_ports(leg: Leg, calls: Iterable[PortCall]) -> tuple[PortCall, PortCall] | None:
    load = next((call for call in calls if call.port_id == leg.load_call.port_id), None)
    later = (call for call in calls if load and call.number > load.number)
    discharge = next((call for call in later if call.port_id == leg.discharge_call.port_id), None)
    return (load, discharge) if load and discharge else None


@once
def swap_vessel(act: Act, request: SwapRequest) -> int:
    """Another vessel sails the voyage."""
    voyage = _voyage(request.voyage)
    aboard = sorted({leg.shipment_id for leg in Leg.objects.filter(load_call__voyage=voyage)})
    require_packing(act, companies_aboard(aboard))
    imo, number = imo_number(request.imo), request.number.strip()[:20]
    vessel = " ".join(request.vessel.split())[:60]
    refuse_if([Problem("Name the vessel.", "vessel")] if not vessel else [])
    refuse_if([Problem("Enter the voyage's number.", "number")] if not number else [])
    before = str(voyage)
    shipping.swap_vessel(voyage, vessel, imo, number)
    links: list[Link] = [("voyage", voyage.pk, None), *(("shipment", key, None) for key in aboard)]
    add_history(act, "swap_vessel", f"{voyage} sails instead of {before}", links)
    return voyage.pk


@once
def omit_port(act: Act, request: OmitRequest) -> int:
    """A voyage passes a port by. Returns how many shipments are discharged elsewhere."""
    call = PortCall.objects.select_related("voyage").filter(pk=request.call).first()
    if call is None or call.omitted:
        raise Refused(Problem("This call is not on the voyage any more.", "call"))
    refuse_if([Problem(f"{call.voyage} was there already.", "call")] if _happened([call]) else [])
    loading = Leg.objects.filter(load_call=call).values_list("shipment__reference", flat=True)
    names = ", ".join(sorted(loading)[:8])
    if names:
        raise Refused(Problem(f"{names} were to be loaded there.", "call", "Roll them to another voyage first."))
    legs = list(Leg.objects.filter(discharge_call=call).select_related("load_call", "discharge_call"))
    shipments = _locked(act, legs)
    if legs:
        others = PortCall.objects.filter(voyage=call.voyage, omitted=False).exclude(pk=call.pk)
        instead = others.filter(pk=request.instead).first()
        if instead is None or any(leg.load_call.number >= instead.number for leg in legs):
            what = f"{len(legs)} shipments were to be discharged there."
            raise Refused(Problem(what, "instead", "Choose a call after the one at which they are loaded."))
        for leg in legs:
            leg.discharge_call = instead
        shipping.move_legs(legs)
    shipping.omit_call(call)
    add_history(act, "omit_port", f"{call} is omitted", _links(shipments, call.voyage))
    _follow(act, shipments, [call])
    return len(shipments)


@once
def blank_sailing(act: Act, request: BlankRequest) -> int:
    """A sailing is called off; what was to go with it goes with another. Returns how many shipments."""
    voyage = _voyage(request.voyage)
    require_somewhere(act.person, "pack")
    if _happened(list(voyage.calls.all())):
        raise Refused(Problem(f"{voyage} has begun.", "voyage", "Omit the ports that it does not call at."))
    legs = _legs_of(voyage, ())
    shipments = _locked(act, legs)
    if legs:
        target = _voyage(request.to or 0, "to")
        refuse_if([Problem("That is the same voyage.", "to")] if target.pk == voyage.pk else [])
        _roll(act, legs, shipments, target)
    shipping.blank(voyage, act.at)
    more = f"; {_many(shipments)} go with {target}" if legs else ""
    add_history(act, "blank_sailing", f"{voyage} is called off{more}", _links(shipments, voyage))
    return len(shipments)


@once
def split_off(act: Act, request: SplitRequest) -> dict[str, int]:
    """Containers go on as a shipment of their own. Returns both shipments (ids)."""
    shipment = shipping.lock([request.shipment]).get(request.shipment)
    if shipment is None:
        raise Refused(Problem("There is no such shipment.", "shipment"))
    require_packing(act, companies_aboard([shipment.pk]))
    boxes = list(Container.objects.filter(shipment=shipment, pk__in=request.containers).order_by("pk"))
    refuse_if(_split_problems(shipment, boxes, request))
    made = shipping.write_split(act, shipment, boxes)
    names = ", ".join(box.number for box in boxes[:8])
    links: list[Link] = [("shipment", shipment.pk, None), ("shipment", made.pk, None)]
    split: list[Link] = [*links, *(("container", box.pk, None) for box in boxes)]
    add_history(act, "split_off", f"{names} of {shipment} go on as {made}", split)
    legs = _open_legs(Leg.objects.filter(shipment=made, load_call__isnull=False))
    if request.to is not None:
        target = _voyage(request.to, "to")
        main = [leg for leg in legs if _same_ports(leg, list(target.calls.filter(omitted=False).order_by("number")))]
        _roll(act, main or legs, {made.pk: made}, target)
        add_history(act, "roll", f"{made} rolled to {target}", [links[1], ("voyage", target.pk, None)])
    else:
        _follow(act, {made.pk: made})
    bring_along(shipments=[shipment.pk, made.pk])
    return {"shipment": shipment.pk, "split": made.pk}


def _split_problems(shipment: Shipment, boxes: list[Container], request: SplitRequest) -> list[Problem]:
    if not boxes or len(boxes) < len(set(request.containers)):
        return [Problem("Pick containers of this shipment.", "containers")]
    if len(boxes) == shipment.containers.count():
        return [Problem("That is the whole shipment.", "containers", "Roll the shipment instead.")]
    if shipment.arrived_on:
        mend = "Landed goods are received container by container."
        return [Problem(f"{shipment} has arrived.", "containers", mend)]
    return []


@once
def land_elsewhere(act: Act, request: LandRequest) -> int:
    """Discharge a shipment at another port of its voyage; from there it goes on to a place of ours."""
    shipment = shipping.lock([request.shipment]).get(request.shipment)
    if shipment is None:
        raise Refused(Problem("There is no such shipment.", "shipment"))
    require_packing(act, companies_aboard([shipment.pk]))
    refuse_if([Problem(f"{shipment} has arrived.", "call")] if shipment.arrived_on else [])
    main = shipment.legs.filter(main=True, load_call__isnull=False).select_related("load_call__voyage").first()
    if main is None:
        raise Refused(Problem("No voyage sails its main leg.", "call", "Plan the passage first."))
    call = PortCall.objects.filter(pk=request.call, voyage=main.load_call.voyage, omitted=False).first()
    if call is None or call.number <= main.load_call.number or call.pk == main.discharge_call_id:
        raise Refused(Problem("Choose another call of the voyage, after the one where it is loaded.", "call"))
    place = request.destination.strip()[:60]
    refuse_if([Problem("Say where it goes from there.", "destination")] if not place else [])
    refuse_if([] if 0 <= request.days <= 60 else [Problem("Count from 0 to 60 days.", "days")])
    spoken = DateStatement.objects.filter(leg__shipment=shipment, leg__number__gt=main.number).exists()
    refuse_if(
        [Problem("The legs after it have dates of their own.", "call", "Plan them anew by hand.")] if spoken else []
    )
    shipping.redirect_legs(shipment, main, call, place, request.days)
    text = f"{shipment} is discharged at {call.port_id} and goes on to {place}"
    add_history(act, "land_elsewhere", text, _links({shipment.pk: shipment}))
    _follow(act, {shipment.pk: shipment})
    return shipment.pk


def _voyage(key: int, where: str = "voyage") -> Voyage:
    voyage = Voyage.objects.select_for_update().filter(pk=key).first()
    if voyage is None:
        raise Refused(Problem("Choose a voyage.", where))
    return voyage


def _legs_of(voyage: Voyage, shipments: Iterable[int]) -> list[Leg]:
    """The legs that the voyage was to sail and has not, of these shipments; of none: of all."""
    legs = Leg.objects.filter(load_call__voyage=voyage)
    wanted = list(shipments)
    return _open_legs(legs.filter(shipment__in=wanted) if wanted else legs)


def _open_legs(legs) -> list[Leg]:
    found = list(legs.select_related("load_call", "discharge_call").order_by("shipment", "number"))
    gone = _happened([leg.load_call for leg in found])
    return [leg for leg in found if leg.load_call_id not in gone]


def _happened(calls: Iterable[PortCall]) -> dict[int, date]:
    """The calls (ids) that the vessel has left or reached, with the day."""
    actual = DateStatement.objects.filter(call__in=list(calls), kind=DateStatement.Kind.ACTUAL, retracted=False)
    return dict(actual.values_list("call", "value"))


def _locked(act: Act, legs: Iterable[Leg]) -> dict[int, Shipment]:
    shipments = shipping.lock({leg.shipment_id for leg in legs})
    companies = set().union(*(companies_aboard([key]) for key in shipments)) if shipments else set()
    require_packing(act, companies)
    return shipments


def _follow(act: Act, shipments: dict[int, Shipment], calls: Iterable[PortCall] = ()) -> None:
    for shipment in shipments.values():
        shipping.note_main_voyage(shipment)
    milestones.follow_dates(act, shipments.values(), calls)


def _many(shipments: dict[int, Shipment]) -> str:
    names = [str(shipment) for shipment in shipments.values()]
    return ", ".join(names[:6]) + (f" and {len(names) - 6} more" if len(names) > 6 else "")


def _links(shipments: dict[int, Shipment], *voyages: Voyage) -> list[Link]:
    return [*(("voyage", one.pk, None) for one in voyages), *(("shipment", key, None) for key in shipments)]
