"""The contents of the passage board: voyages with their calls, the shipments that sail with them,
their containers.
"""

from collections.abc import Iterable
from dataclasses import dataclass, field
from datetime import date, timedelta

from django.db.models import Count, Exists, F, OuterRef, QuerySet

from northing.core.planning.free_time import Clock
from northing.core.planning.passage import expected_legs
from northing.reports.clocks import standings_of
from northing.shipping.models import Container, DateStatement, Leg, PortCall, Shipment, ShipmentLine
from northing.shipping.queries import planned_legs

MOST_SHIPMENTS = 2_000
# How many days of what was and of what comes are seen.
ZOOMS = {"week": (3, 11), "month": (10, 28), "quarter": (28, 70), "half": (60, 124)}


@dataclass(frozen=True)
class Window:
    """The days that are drawn."""

    first: date
    last: date

    @classmethod
    def of(cls, zoom: str, around: date) -> "Window":
        """The days of a zoom around a day."""
        before, after = ZOOMS[zoom]
        return cls(around - timedelta(days=before), around + timedelta(days=after))

    @property
    def days(self) -> int:
        return (self.last - self.first).days + 1


@dataclass(frozen=True)
class LegDrawn:
    """A leg: planned, expected, and how much of it has happened."""

    mode: str
    places: str
    planned: tuple[date, date]
    expected: tuple[date, date]
    started: bool
    ended: bool


@dataclass(frozen=True)
class BoxDrawn:
    """A container with its running free time, where it has one."""

    number: str
    started: date | None = None
    free_until: date | None = None
    ended: date | None = None
    clock: Clock | None = None


@dataclass
class ShipmentDrawn:
    """A shipment: legs, containers, and the days by which what is aboard is needed."""

    key: int
    reference: str
    legs: list[LegDrawn]
    planned_dock: date | None
    expected_dock: date | None
    boxes: list[BoxDrawn] = field(default_factory=list)
    needed: list[tuple[date, int]] = field(default_factory=list)
    # Everything aboard is received: what no one spoke of after that has happened somehow.
    done: bool = False

    @property
    def slip(self) -> int:
        """Days behind plan at our dock."""
        if self.planned_dock is None or self.expected_dock is None:
            return 0
        return (self.expected_dock - self.planned_dock).days

    @property
    def broken(self) -> int:
        """How many lines aboard will miss their need-by date."""
        return sum(count for day, count in self.needed if self.expected_dock and self.expected_dock > day)


@dataclass(frozen=True)
class CallDrawn:
    """A departure from a port or an arrival at one; `happened` ones are not moved any more."""

    call: int
    port: str
    milestone: str
    planned: date | None
    expected: date
    happened: bool


@dataclass
class VoyageDrawn:
    """A voyage (None: what has none yet) with its calls and its shipments."""

    key: int | None
    name: str
    calls: list[CallDrawn] = field(default_factory=list)
    shipments: list[ShipmentDrawn] = field(default_factory=list)

    @property
    def first(self) -> date:
        """By what the board is ordered: the first day it reaches our side."""
        days = [one.expected_dock for one in self.shipments if one.expected_dock]
        return min(days, default=date.max)


def board(shipments: QuerySet[Shipment], window: Window, companies: set[int], today: date) -> list[VoyageDrawn]:
    """The voyages of the shipments that are on their way at some time in the window, the first to dock first.

    A fixed number of queries, however many there are.
    """
    seen = Leg.objects.filter(expected_end__gte=window.first, expected_start__lte=window.last).values("shipment")
    there = shipments.filter(pk__in=seen).select_related("voyage", "discharge_port").order_by("expected_dock", "pk")
    found = list(there[:MOST_SHIPMENTS])
    planned, sailing = planned_legs(found, today)
    boxes, needed = _boxes(found, today), needed_by(found, companies)
    to_come = boxes_to_come(shipment for shipment in found if shipment.arrived_on)
    voyages: dict[int | None, VoyageDrawn] = {}
    for shipment in found:
        legs, plan = planned[shipment.pk]
        drawn = [
            LegDrawn(
                leg.mode,
                f"{leg.origin} to {leg.destination}",
                (leg.planned_start, leg.planned_end),
                (now.start, now.end),
                now.started,
                now.ended,
            )
            for leg, now in zip(legs, expected_legs(plan, today), strict=True)
        ]
        voyage = shipment.voyage
        name = str(voyage) if voyage else "No voyage yet"
        row = voyages.setdefault(voyage.pk if voyage else None, VoyageDrawn(voyage.pk if voyage else None, name))
        one = ShipmentDrawn(shipment.pk, shipment.reference, drawn, shipment.planned_dock, shipment.expected_dock)
        one.boxes, one.needed = boxes.get(shipment.pk, []), needed.get(shipment.pk, [])
        one.done = shipment.arrived_on is not None and not (one.needed and shipment.pk in to_come)
        row.shipments.append(one)
    for call in sorted(sailing.values(), key=lambda one: one.call.number):
        if call.call.voyage_id in voyages:
            voyages[call.call.voyage_id].calls += _calls(call.call, call.arrival, call.departure)
    return sorted(voyages.values(), key=lambda one: (one.first, one.name))


def _calls(
    call: PortCall, arrival: tuple[date, bool] | None, departure: tuple[date, bool] | None
) -> Iterable[CallDrawn]:
    for milestone, known, plan in (
        ("arrival", arrival, call.planned_arrival),
        ("departure", departure, call.planned_departure),
    ):
        if known:
            yield CallDrawn(call.pk, call.port_id, milestone, plan, *known)


def _boxes(shipments: list[Shipment], today: date) -> dict[int, list[BoxDrawn]]:
    known = {shipment.pk: shipment for shipment in shipments}
    containers = list(Container.objects.filter(shipment__in=shipments).order_by("shipment_id", "number"))
    for box in containers:
        # Those that are there already, voyage and port with them, and not one more for each container.
        box.shipment = known[box.shipment_id]
    landed = [box for box in containers if box.shipment.arrived_on]
    clocks: dict[int, BoxDrawn] = {}
    for one in standings_of(landed):
        drawn = BoxDrawn(one.container.number, one.started, one.free_until, one.ended, one.clock(today))
        clocks.setdefault(one.container.pk, drawn)
    found: dict[int, list[BoxDrawn]] = {}
    for box in containers:
        found.setdefault(box.shipment_id, []).append(clocks.get(box.pk, BoxDrawn(box.number)))
    return found


def boxes_to_come(shipments: Iterable[Shipment]) -> dict[int, int]:
    """By shipment (id), how many of its containers have neither left the port nor been opened at a dock."""
    out = (DateStatement.Milestone.GATE_OUT, DateStatement.Milestone.RETURNED)
    gone = DateStatement.objects.filter(container=OuterRef("pk"), kind="actual", milestone__in=out, retracted=False)
    opened = ShipmentLine.objects.filter(container=OuterRef("pk"), accounted__gt=0)
    boxes = Container.objects.filter(shipment__in=list(shipments)).order_by()
    left = boxes.exclude(Exists(gone)).exclude(Exists(opened))
    return {row["shipment"]: row["count"] for row in left.values("shipment").annotate(count=Count("pk"))}


def needed_by(shipments: list[Shipment], companies: set[int]) -> dict[int, list[tuple[date, int]]]:
    """By shipment (id), the need-by days of what is aboard for the companies (ids), and how many lines need it then."""
    line = "instalment__line"
    aboard = ShipmentLine.objects.filter(
        container__shipment__in=shipments, accounted__lt=F("quantity"), **{f"{line}__order__company__in": companies}
    )
    rows = aboard.order_by("container__shipment", f"{line}__need_by").values_list(
        "container__shipment", f"{line}__need_by"
    )
    found: dict[int, list[tuple[date, int]]] = {}
    for shipment, day, count in rows.annotate(count=Count(line, distinct=True)):
        found.setdefault(shipment, []).append((day, count))
    return found
