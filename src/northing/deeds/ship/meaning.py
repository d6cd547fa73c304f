"""What the events of a lot can be about: port calls and containers, looked up once for all of them."""

from collections.abc import Iterable
from dataclasses import dataclass
from datetime import date, timedelta

from northing.formats.dcsa import Event
from northing.shipping.models import Container, Leg, PortCall
from northing.shipping.queries import companies_of_shipments

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


@dataclass(frozen=True)
class BoxMeant:
    """A container on a passage that has begun."""

    key: int
    number: str
    shipment: int
    departed_on: date


class Meant:
    """The calls and containers that some events name."""

    def __init__(self, events: Iterable[Event]):
        events = list(events)
        self._calls = _calls(events)
        numbers = {event.container for event in events} - {""}
        boxes = Container.objects.filter(number__in=numbers, shipment__departed_on__isnull=False)
        self._boxes: dict[str, list[BoxMeant]] = {}
        for row in boxes.order_by("-shipment__departed_on", "-pk").values_list(
            "pk", "number", "shipment", "shipment__departed_on"
        ):
            self._boxes.setdefault(row[1], []).append(BoxMeant(*row))

    def call(self, event: Event, milestone: str) -> CallMeant | None:
        """The call that the vessel makes there; of several the one planned nearest to the day that is said."""
        near = []
        for call in self._calls.get((event.imo, event.port), ()):
            day = call.planned[milestone]
            if day and abs(day - event.day) <= NEAR and event.voyage in ("", call.number):
                near.append((abs(day - event.day), call.key, call))
        return min(near)[2] if near and event.imo else None

    def box(self, event: Event) -> BoxMeant | None:
        """The container's newest passage that had begun by that day: the same one sails again and again."""
        return next((box for box in self._boxes.get(event.container, ()) if box.departed_on <= event.day), None)


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
