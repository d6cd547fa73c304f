"""The contents of the chart: what is under way and where it is by now, what waits in which port,
which lanes they take.
"""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from datetime import date

from django.db.models import QuerySet

from northing.core.planning.passage import ExpectedLeg, expected_legs, share_passed, standing
from northing.core.sea.globe import Place, along, miles
from northing.core.sea.waters import sea_lane
from northing.masterdata.models import Port
from northing.reports.board import MOST_SHIPMENTS, boxes_to_come, needed_by
from northing.shipping.models import CARRIED, Leg, Shipment, Voyage
from northing.shipping.queries import Sailing, planned_legs


@dataclass(frozen=True)
class Ship:
    """A shipment as the chart tells of it: how many containers, the dock day, and how many of its lines are late."""

    key: int
    reference: str
    boxes: int
    dock: date | None
    behind: int
    broken: int


@dataclass
class UnderWay:
    """Shipments that sail or fly together from one port to the next: since when, until when, how much has passed."""

    voyage: int | None
    name: str
    mode: str
    origin: Port
    destination: Port
    start: date
    end: date
    planned_end: date | None
    share: float
    ships: list[Ship] = field(default_factory=list)

    @property
    def way(self) -> Sequence[Place]:
        """By which turning points it goes."""
        return way_of(self.mode, self.origin, self.destination)

    @property
    def at(self) -> Place:
        """Where it is by now, if it keeps its pace."""
        return along(self.way, self.share)

    @property
    def miles(self) -> int:
        """Nautical miles that are still to go."""
        return round(miles(self.way) * (1 - self.share))

    @property
    def behind(self) -> int:
        """Days that it comes later than planned."""
        return (self.end - self.planned_end).days if self.planned_end else 0

    @property
    def boxes(self) -> int:
        return sum(ship.boxes for ship in self.ships)


@dataclass(frozen=True)
class Waits:
    """A shipment that waits in a port: for what, and since when where something brought it."""

    ship: Ship
    for_what: str
    since: date | None


@dataclass
class PortHeld:
    """A port, and the shipments that wait there."""

    port: Port
    waits: list[Waits] = field(default_factory=list)

    @property
    def boxes(self) -> int:
        return sum(one.ship.boxes for one in self.waits)


@dataclass
class Chart:
    """All that is drawn, and how many shipments are not on it: on the road, with the supplier, or of unplaced ports."""

    under_way: list[UnderWay] = field(default_factory=list)
    ports: dict[str, PortHeld] = field(default_factory=dict)
    # Ports of lanes still to be taken, and by what.
    lanes: set[tuple[str, str, str]] = field(default_factory=set)
    inland: list[Ship] = field(default_factory=list)
    unplaced: set[str] = field(default_factory=set)


def placed(port: Port) -> bool:
    """Whether a person said where the port lies."""
    return port.latitude is not None and port.longitude is not None


def place_of(port: Port) -> Place:
    """Degrees north and east."""
    return float(port.latitude or 0), float(port.longitude or 0)


def way_of(mode: str, origin: Port, destination: Port) -> Sequence[Place]:
    """By which turning points one goes: a vessel round the land, all else on the great circle."""
    a, b = place_of(origin), place_of(destination)
    return sea_lane(a, b) if mode == Leg.Mode.SEA else (a, b)


def chart(shipments: QuerySet[Shipment], companies: set[int], today: date) -> Chart:
    """Where the shipments (with goods still to come) are by now. A fixed number of queries, however many there are."""
    found = list(shipments.order_by("expected_dock", "pk")[:MOST_SHIPMENTS])
    planned, sailing = planned_legs(found, today)
    needed = needed_by(found, companies)
    boxes = boxes_to_come(found)
    drawing = _Drawing([leg for legs, _ in planned.values() for leg in legs], sailing, today)
    for shipment in found:
        legs, plan = planned[shipment.pk]
        ship = _ship(shipment, boxes.get(shipment.pk, 0), needed.get(shipment.pk, []), today)
        drawing.add(ship, legs, expected_legs(plan, today))
    return drawing.done()


def _ship(shipment: Shipment, boxes: int, needed: Sequence[tuple[date, int]], today: date) -> Ship:
    dock, planned = shipment.expected_dock, shipment.planned_dock
    # What has not happened is not before today, however long ago it was said.
    dock = max(dock, today) if dock else None
    behind = (dock - planned).days if dock and planned else 0
    broken = sum(count for day, count in needed if dock and dock > day)
    return Ship(shipment.pk, shipment.reference, boxes, dock, behind, broken)


class _Drawing:
    """The chart as it fills, with what is known of the ports and the voyages of the legs."""

    def __init__(self, legs: Sequence[Leg], sailing: Mapping[int, Sailing], today: date) -> None:
        self.drawn, self.today = Chart(), today
        codes = {code for leg in legs for code in (leg.origin, leg.destination)}
        codes |= {sail.call.port_id for sail in sailing.values()}
        self.ports = {port.code: port for port in Port.objects.filter(pk__in=codes)}
        self.sailing = sailing
        self.calls: dict[int, list[Sailing]] = {}
        for sail in sorted(sailing.values(), key=lambda one: one.call.number):
            self.calls.setdefault(sail.call.voyage_id, []).append(sail)
        self.voyages = {voyage.pk: voyage for voyage in Voyage.objects.filter(pk__in=self.calls)}
        self.groups: dict[tuple[int | None, int], UnderWay | None] = {}

    def done(self) -> Chart:
        """The chart with all that was added."""
        going = [one for one in self.groups.values() if one]
        self.drawn.under_way = sorted(going, key=lambda one: (one.end, one.name))
        return self.drawn

    def add(self, ship: Ship, legs: Sequence[Leg], days: Sequence[ExpectedLeg]) -> None:
        """Put a shipment where it is, with the lanes that it is still to take."""
        index, on = standing(days)
        if not ship.boxes:
            self.drawn.inland.append(ship)
            return
        for leg in legs[index:]:
            self._lane(leg)
        if on and legs[index].mode in CARRIED:
            going = self._going(ship, legs[index], days[index])
            if going:
                going.ships.append(ship)
                for port in (going.origin, going.destination):
                    self._held(port)
            else:
                self.drawn.inland.append(ship)
            return
        port, for_what, since = self._waiting(legs, days, index, on)
        if port:
            self._held(port).waits.append(Waits(ship, for_what, since))
        else:
            self.drawn.inland.append(ship)

    def _at_sea(self, code: str) -> Port | None:
        """The port of a code, where a person said where it lies."""
        port = self.ports.get(code)
        if port and not placed(port):
            self.drawn.unplaced.add(port.code)
            return None
        return port

    def _held(self, port: Port) -> PortHeld:
        return self.drawn.ports.setdefault(port.code, PortHeld(port))

    def _lane(self, leg: Leg) -> None:
        a, b = self._at_sea(leg.origin), self._at_sea(leg.destination)
        if a and b and a != b:
            self.drawn.lanes.add((leg.mode, a.code, b.code))
            self._held(a)
            self._held(b)

    def _going(self, ship: Ship, leg: Leg, days: ExpectedLeg) -> UnderWay | None:
        """The carriage of the shipment now; all that sails with one voyage is drawn once."""
        sail = self.sailing.get(leg.load_call_id or 0)
        key = (sail.call.voyage_id, 0) if sail else (None, ship.key)
        if key not in self.groups:
            self.groups[key] = self._voyage(sail.call.voyage_id) if sail else self._alone(ship, leg, days)
        return self.groups[key]

    def _alone(self, ship: Ship, leg: Leg, days: ExpectedLeg) -> UnderWay | None:
        a, b = self._at_sea(leg.origin), self._at_sea(leg.destination)
        if not a or not b:
            return None
        share = share_passed(days.start, days.end, self.today)
        return UnderWay(None, ship.reference, leg.mode, a, b, days.start, days.end, leg.planned_end, share)

    def _voyage(self, key: int) -> UnderWay | None:
        """A voyage between the last call of which something has happened and the next."""
        calls = self.calls[key]
        last = max(
            (at for at, one in enumerate(calls) if _happened(one.departure) or _happened(one.arrival)), default=0
        )
        here, beyond = calls[last], calls[min(last + 1, len(calls) - 1)]
        a, b = self._at_sea(here.call.port_id), self._at_sea(beyond.call.port_id)
        if not a or not b or a == b or not beyond.arrival:
            return None
        start = here.departure[0] if here.departure else self.today
        share = share_passed(start, beyond.arrival[0], self.today) if _happened(here.departure) else 0.0
        name, planned = str(self.voyages[key]), beyond.call.planned_arrival
        return UnderWay(key, name, Leg.Mode.SEA, a, b, start, beyond.arrival[0], planned, share)

    def _waiting(
        self, legs: Sequence[Leg], days: Sequence[ExpectedLeg], index: int, on: bool
    ) -> tuple[Port | None, str, date | None]:
        """The port in which a shipment waits, for what and since when; none where it is inland."""
        since = days[index - 1].end if index else None
        if index == len(legs):
            return None, "", None
        leg = legs[index]
        if leg.mode == Leg.Mode.CUSTOMS:
            return self._at_sea(leg.origin), "in customs" if on else "for customs", since
        if on or not index:
            # On the road, or not begun.
            return None, "", None
        what = (
            f"for its {'flight' if leg.mode == Leg.Mode.AIR else 'vessel'}"
            if leg.mode in CARRIED
            else f"for the {leg.mode}"
        )
        return self._at_sea(leg.origin), what, since


def _happened(known: tuple[date, bool] | None) -> bool:
    return bool(known and known[1])
