"""Writes of shipments, their containers and legs."""

from collections.abc import Iterable, Sequence
from dataclasses import dataclass, replace
from datetime import date, timedelta

from django.db.models import Max

from northing.access.acts import Act
from northing.core.problems import Problem, refuse_if
from northing.shipping.models import (
    CARRIED,
    Container,
    DateStatement,
    Leg,
    PortCall,
    Shipment,
)


@dataclass(frozen=True)
class LegPlan:
    """A leg as planned; the main one is sailed by the voyage."""

    mode: str
    origin: str
    destination: str
    start: date
    end: date
    main: bool = False
    load_call: int | None = None
    discharge_call: int | None = None


def with_main(plans: Sequence[LegPlan]) -> list[LegPlan]:
    """The legs with the main one marked: the last that a vessel carries; where none does, the longest."""
    carried = [place for place, leg in enumerate(plans) if leg.mode in CARRIED]
    longest = max(range(len(plans)), key=lambda place: plans[place].end - plans[place].start, default=0)
    main = carried[-1] if carried else longest
    return [replace(leg, main=place == main) for place, leg in enumerate(plans)]


def lock(shipments: Iterable[int]) -> dict[int, Shipment]:
    """The shipments, locked in key order. Every action that reads what is aboard takes this lock first, so that
    packing, departing, receiving and costing the same goods come one after the other and see each other.
    """
    found = Shipment.objects.select_for_update().filter(pk__in=set(shipments)).order_by("pk")
    return {shipment.pk: shipment for shipment in found}


def write_shipment(act: Act, reference: str, document: str, forwarder: int | None, mode: str = "sea") -> Shipment:
    """A shipment without containers yet; the reference is numbered when none is given."""
    if not reference:
        last = Shipment.objects.aggregate(last=Max("pk"))["last"] or 0
        reference = f"S-{last + 1:05d}"
    return Shipment.objects.create(
        reference=reference, document=document, forwarder_id=forwarder, mode=mode, created_at=act.at
    )


def write_container(shipment: Shipment, number: str, size_type: str, seal: str) -> Container:
    """A container of the shipment."""
    return Container.objects.create(shipment=shipment, number=number, size_type=size_type, seal=seal)


def write_legs(shipment: Shipment, plans: Sequence[LegPlan]) -> list[Leg]:
    """Replace the planned legs. A leg of whose dates a person spoke may be planned anew but not become another one.

    Raises Refused where it would.
    """
    before = {leg.number: leg for leg in shipment.legs.all()}
    spoken = set(DateStatement.objects.filter(leg__shipment=shipment).values_list("leg__number", flat=True))
    refuse_if(_spoken_problems([before[number] for number in sorted(spoken)], plans))
    Leg.objects.filter(shipment=shipment, number__gt=len(plans)).delete()
    Leg.objects.filter(shipment=shipment).update(main=False)  # only one may be main, at every moment
    legs = []
    for number, plan in enumerate(plans, 1):
        leg = before.get(number) or Leg(shipment=shipment, number=number)
        leg.mode, leg.origin, leg.destination, leg.main = plan.mode, plan.origin, plan.destination, plan.main
        leg.planned_start = leg.expected_start = plan.start
        leg.planned_end = leg.expected_end = plan.end
        leg.load_call_id, leg.discharge_call_id = plan.load_call, plan.discharge_call
        leg.save()
        legs.append(leg)
    shipment.planned_dock = plans[-1].end if plans else None
    shipment.save(update_fields=["planned_dock"])
    note_main_voyage(shipment)
    return legs


def note_main_voyage(shipment: Shipment) -> None:
    """Write which voyage sails the main leg of the shipment, and where that discharges."""
    main = (
        shipment.legs.filter(main=True, discharge_call__isnull=False).select_related("discharge_call__voyage").first()
    )
    shipment.voyage = main.discharge_call.voyage if main else None
    shipment.discharge_port_id = main.discharge_call.port_id if main else None
    shipment.save(update_fields=["voyage", "discharge_port"])


def fill_call_plans(plans: Iterable[LegPlan]) -> None:
    """A call of whose day no one spoke has the day of the first leg that is planned by it."""
    for plan in plans:
        for call, day in ((plan.load_call, plan.start), (plan.discharge_call, plan.end)):
            which = "departure" if call == plan.load_call else "arrival"
            PortCall.objects.filter(pk=call, **{f"planned_{which}": None}).update(
                **{f"planned_{which}": day, f"expected_{which}": day}
            )


def _spoken_problems(spoken: Iterable[Leg], plans: Sequence[LegPlan]) -> list[Problem]:
    found = []
    for leg in spoken:
        plan = plans[leg.number - 1] if leg.number <= len(plans) else None
        if plan is None or (plan.origin, plan.destination) != (leg.origin, leg.destination):
            what = f"Leg {leg.number}, {leg.origin} to {leg.destination}, has dates of its own."
            found.append(Problem(what, "legs", "Keep it in its place; its dates may change."))
    return found


def move_legs(legs: Iterable[Leg]) -> None:
    """Legs sail between other calls; what was planned of them stays."""
    Leg.objects.bulk_update(list(legs), ["load_call", "discharge_call"])


def write_split(act: Act, shipment: Shipment, boxes: Sequence[Container]) -> Shipment:
    """A shipment like the other, with some of its containers; statements about its legs are copied."""
    made = write_shipment(act, "", shipment.document, shipment.forwarder_id, shipment.mode)
    for name in ("planned_dock", "expected_dock", "departed_on", "arrived_on", "voyage_id", "discharge_port_id"):
        setattr(made, name, getattr(shipment, name))
    made.save()
    for leg in list(shipment.legs.order_by("number")):
        said = list(leg.statements.order_by("pk"))
        leg.pk, leg.shipment = None, made
        leg._state.adding = True
        leg.save()
        for one in said:
            one.pk, one.leg = None, leg
            one._state.adding = True
            one.save()
    Container.objects.filter(pk__in=[box.pk for box in boxes]).update(shipment=made)
    return made


def redirect_legs(shipment: Shipment, main: Leg, call: PortCall, place: str, days: int) -> None:
    """The main leg ends at another call; from there one leg by road leads to a place. Its plan stays."""
    rest = max((shipment.planned_dock or main.planned_end) - main.planned_end, timedelta(0))
    shipment.legs.filter(number__gt=main.number).delete()
    main.discharge_call, main.destination = call, call.port_id
    main.save(update_fields=["discharge_call", "destination"])
    start = main.planned_end + max(rest - timedelta(days=days), timedelta(0))
    Leg.objects.create(
        shipment=shipment,
        number=main.number + 1,
        mode=Leg.Mode.ROAD,
        origin=call.port_id,
        destination=place,
        planned_start=start,
        planned_end=start + timedelta(days=days),
        expected_start=start,
        expected_end=start + timedelta(days=days),
    )
