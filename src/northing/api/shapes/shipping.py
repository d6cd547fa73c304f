"""Shapes of the passage: shipments, containers, shipment lines, voyages, positions."""

from datetime import date, datetime
from typing import Annotated, Any

from ninja import Schema
from pydantic import Field, StringConstraints

from northing.api.shapes.common import NO_NUL, Day, Id, Mode, Number, Strict, Word

Code = Annotated[str, StringConstraints(max_length=20, pattern=NO_NUL)]


class LegOut(Schema):
    """A leg: planned and expected days."""

    number: int
    mode: str
    origin: str
    destination: str
    planned_start: date
    planned_end: date
    expected_start: date
    expected_end: date
    main: bool


class ShipmentLineOut(Schema):
    """An instalment's units in a container."""

    id: int
    container: int
    order: int
    line: int
    instalment: int
    item: str
    quantity: Number
    accounted: Number


class ContainerOut(Schema):
    """A container of a shipment; at the dock on the day of its shipment, unless it is spoken of by itself."""

    id: int
    number: str
    size_type: str
    seal: str
    expected_dock: date | None


class ShipmentOut(Schema):
    """A shipment; of what is aboard only what is yours to see."""

    id: int
    reference: str
    document: str
    mode: str
    voyage: int | None
    planned_dock: date | None
    expected_dock: date | None
    departed_on: date | None
    arrived_on: date | None
    containers: list[ContainerOut]
    legs: list[LegOut]


class ShipmentWhole(ShipmentOut):
    """A shipment with what is aboard."""

    lines: list[ShipmentLineOut]


class Shipments(Schema):
    """A page of shipments."""

    items: list[ShipmentOut]
    next: str | None


class EventOut(Schema):
    """A carrier's event: what it says, of what, when it was said, and what became of it."""

    id: int
    source: str
    event_id: str
    event_type: str
    code: str
    kind: str
    day: date
    said_at: datetime
    port: str
    imo: str
    voyage: str
    container: str
    state: str
    says: str
    retracted: bool


class Events(Schema):
    """A page of events."""

    items: list[EventOut]
    next: str | None


class RowIn(Strict):
    """How much of an instalment a container holds."""

    instalment: Id
    quantity: Number


class ContainerIn(Strict):
    """A container as it should be: one that is there (id), or a new one."""

    id: Id | None = None
    number: Code
    size_type: Annotated[str, StringConstraints(max_length=4, pattern=NO_NUL)] = "45G1"
    seal: Code = ""
    rows: Annotated[list[RowIn], Field(max_length=2_000)] = []


class LoadIn(Strict):
    """The goods of a shipment's containers as they should be; goods that are not named stay as they are.

    `accept` goes on though goods are to be ready only after their vessel leaves.
    """

    containers: Annotated[list[ContainerIn], Field(max_length=60)]
    accept: bool = False


class ShipmentIn(LoadIn):
    """A new shipment: its containers, its route and the voyages (ids) that sail it."""

    document: Annotated[str, StringConstraints(max_length=40, pattern=NO_NUL)] = ""
    mode: Mode = "sea"
    route: Word = ""
    voyages: Annotated[list[Id], Field(max_length=6)] = []
    begin: Day | None = None


class Loaded(Schema):
    """The shipment, and what to mind."""

    id: int
    warnings: list[str]


class CallOut(Schema):
    """A port call of a voyage."""

    id: int
    port: str
    planned_arrival: date | None
    planned_departure: date | None
    expected_arrival: date | None
    expected_departure: date | None
    omitted: bool


class VoyageOut(Schema):
    """A voyage with its calls."""

    id: int
    vessel: str
    imo: str
    number: str
    carrier: str
    called_off: bool
    calls: list[CallOut]


class Voyages(Schema):
    """A page of voyages."""

    items: list[VoyageOut]
    next: str | None


class CallIn(Strict):
    """A port call by UN/LOCODE."""

    port: Annotated[str, StringConstraints(max_length=5, pattern=NO_NUL)]
    arrival: Day | None = None
    departure: Day | None = None


class VoyageIn(Strict):
    """A voyage; its carrier by code."""

    vessel: Word
    imo: Annotated[str, StringConstraints(max_length=12, pattern=NO_NUL)]
    number: Code
    carrier: Annotated[str, StringConstraints(max_length=16, pattern=NO_NUL)]
    calls: Annotated[list[CallIn], Field(min_length=2, max_length=20)]


class PositionOut(Schema):
    """Where the units of an instalment are."""

    instalment: int
    line: int
    order: int
    item: str
    expected_on: date | None
    places: dict[str, Any]


class Positions(Schema):
    """A page of positions."""

    items: list[PositionOut]
    next: str | None


class EventsIn(Strict):
    """Events as a carrier says them, and who says them."""

    source: Annotated[str, StringConstraints(min_length=1, max_length=60, pattern=NO_NUL)]
    events: Annotated[list[dict[str, Any]], Field(max_length=2_000)]


class EventsOut(Schema):
    """How many events were new or known, what became of the new ones, and what could not be read."""

    new: int
    known: int
    tied: int
    noted: int
    waits: int
    wrong: list[str]
