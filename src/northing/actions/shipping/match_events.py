"""The subjects of a batch of events: port calls and containers, looked up once for all of them."""

from collections.abc import Iterable
from dataclasses import dataclass
from datetime import date, timedelta

from django.db.models import Min

from northing.core.planning.passage import Statement
from northing.formats.dcsa import Event
from northing.reports.clocks import FACTS, facts_from
from northing.shipping.models import Container, Leg, PortCall, Shipment
from northing.shipping.queries import companies_of_shipments, words

# A call at a port is that of a voyage when it is this near to what was planned.
NEAR = timedelta(days=60)


@dataclass(frozen=True)
class CallMeant:
    """A port call, the shipments (ids) that its voyage carries, and the companies (ids) that have goods in them."""

    key: int
    name: str
    port: str
    voyage: int
    number: str
    planned: dict[str, date | None]
    shipments: frozenset[int]
    companies: frozenset[int]


@dataclass
class BoxMeant:
    """A container on a passage: when that was to begin, and how far it is."""

    key: int
    number: str
    shipment: int
    departed_on: date | None
    arrived_on: date | None
    port: str | None
    begins: date | None
    companies: frozenset[int] = frozenset()


class Meant:
    """The calls and containers that some events name; of one event, the one (id) that a person chose for it."""

    def __init__(self, events: Iterable[Event], chosen: int | None = None):
        events = list(events)
        self._chosen = chosen
        self._calls = _calls(events)
        self._boxes = _boxes(events)
        self._by_shipment: dict[int, list[BoxMeant]] = {}
        for box in (box for some in self._boxes.values() for box in some):
            self._by_shipment.setdefault(box.shipment, []).append(box)
        keys = [box.key for some in self._boxes.values() for box in some]
        self._said = {key: dict(said) for key, said in words("container", keys, milestones=FACTS).items()}

    def call(self, event: Event, milestone: str) -> CallMeant | None:
        """The call that the vessel makes there; of several the one planned nearest to the day that is said."""
        near = []
        calls = self._calls.get((event.imo, event.port), ())
        if self._chosen:
            return next((call for call in calls if call.key == self._chosen), None)
        for call in calls:
            day = call.planned[milestone]
            if day and abs(day - event.day) <= NEAR and event.voyage in ("", call.number):
                near.append((abs(day - event.day), call.key, call))
        return min(near)[2] if near and event.imo else None

    def box(self, event: Event, milestone: str) -> BoxMeant | None:
        """The container on the passage that is meant: the same one sails again and again.

        The newest that had begun by that day and from which it has not come back empty; else one that should have.
        """
        boxes = self._boxes.get(event.container, ())
        if self._chosen:
            return next((box for box in boxes if box.key == self._chosen), None)
        for box in boxes:
            if box.departed_on and box.departed_on <= event.day:
                back = self.facts(box).get("returned")
                if milestone == "returned" or back is None or back >= event.day:
                    return box
        waiting = (box for box in boxes if not box.departed_on and box.begins and box.begins <= event.day)
        return None if milestone == "returned" else next(waiting, None)

    def facts(self, box: BoxMeant) -> dict[str, date]:
        """The milestones of a container as they are believed, those noted in this batch included."""
        return facts_from(self._said.get(box.key, {}), box.arrived_on)

    def note(self, box: BoxMeant, milestone: str, said: Statement) -> None:
        """Something was said of a container."""
        self._said.setdefault(box.key, {}).setdefault(milestone, []).append(said)

    def sailed(self, shipments: Iterable[Shipment]) -> None:
        """Shipments departed or arrived."""
        for shipment in shipments:
            for box in self._by_shipment.get(shipment.pk, ()):
                box.departed_on, box.arrived_on = shipment.departed_on, shipment.arrived_on


def _boxes(events: list[Event]) -> dict[str, list[BoxMeant]]:
    numbers = {event.container for event in events} - {""}
    rows = Container.objects.filter(number__in=numbers).annotate(begins=Min("shipment__legs__planned_start"))
    about = ("shipment__departed_on", "shipment__arrived_on", "shipment__discharge_port", "begins")
    found = [BoxMeant(*row) for row in rows.values_list("pk", "number", "shipment", *about)]
    aboard = companies_of_shipments({box.shipment for box in found})
    by_number: dict[str, list[BoxMeant]] = {}
    for box in sorted(found, key=lambda one: (one.departed_on or one.begins or date.min, one.key), reverse=True):
        box.companies = frozenset(aboard.get(box.shipment, ()))
        by_number.setdefault(box.number, []).append(box)
    return by_number


def _calls(events: list[Event]) -> dict[tuple[str, str], list[CallMeant]]:
    imos, ports = {event.imo for event in events} - {""}, {event.port for event in events}
    calls = PortCall.objects.filter(voyage__imo__in=imos, port__in=ports).select_related("voyage").order_by("pk")
    found = list(calls)
    voyages = {call.voyage_id for call in found}
    carried: dict[int, set[int]] = {}
    rows = Leg.objects.filter(load_call__voyage__in=voyages).values_list("load_call__voyage", "shipment")
    for voyage, shipment in rows:
        carried.setdefault(voyage, set()).add(shipment)
    aboard = companies_of_shipments({shipment for some in carried.values() for shipment in some})
    by_place: dict[tuple[str, str], list[CallMeant]] = {}
    for call in found:
        shipments = frozenset(carried.get(call.voyage_id, ()))
        meant = CallMeant(
            call.pk,
            str(call.voyage),
            call.port_id,
            call.voyage_id,
            call.voyage.number,
            {"departure": call.planned_departure, "arrival": call.planned_arrival},
            shipments,
            frozenset(company for shipment in shipments for company in aboard.get(shipment, ())),
        )
        by_place.setdefault((call.voyage.imo, call.port_id), []).append(meant)
    return by_place
