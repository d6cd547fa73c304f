"""Writes of statements about dates, and of the dates that follow from them."""

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from datetime import UTC, date, datetime

from northing.access.acts import Act
from northing.core.planning.passage import ExpectedLeg
from northing.database.columns import insert_columns, update_columns
from northing.shipping.models import CarrierEvent, Container, DateStatement, Leg, PortCall, Shipment
from northing.shipping.queries import first_carried


@dataclass(frozen=True)
class Said:
    """When and by whom something was said, where that is another than the one who writes it down; of which event,
    and the very instant that was named, if one was."""

    at: datetime
    source: str
    event: int | None
    instant: datetime | None = None
    rank: int = 0


# What only follows from something else is believed where no one said it: as if said before all that was said.
IMPLIED = datetime(1970, 1, 1, tzinfo=UTC)

# What a person says by hand stands above what a machine says at the same instant.
BY_HAND = 100


def write_statement(
    act: Act,
    call: PortCall | None,
    leg: Leg | None,
    milestone: str,
    kind: str,
    value: date,
    container: Container | None = None,
    said: Said | None = None,
) -> DateStatement:
    """Write a statement about a date."""
    return DateStatement.objects.create(
        call=call,
        leg=leg,
        container=container,
        milestone=milestone,
        kind=kind,
        value=value,
        at=said.instant if said else None,
        source=said.source if said else str(act.person),
        rank=said.rank if said else BY_HAND,
        said_by=None if said else act.person,
        said_at=said.at if said else act.at,
        event_id=said.event if said else None,
    )


def retract(statements: Iterable[DateStatement]) -> None:
    """Take back statements, and the carriers' events that made them."""
    statements = list(statements)
    DateStatement.objects.filter(pk__in=[said.pk for said in statements]).update(retracted=True)
    events = {said.event_id for said in statements} - {None}
    if events:
        CarrierEvent.objects.filter(pk__in=events).update(retracted=True)


@dataclass(frozen=True)
class StatementDraft:
    """A machine's statement about a date of a call or of a container (ids)."""

    milestone: str
    kind: str
    value: date
    said: Said
    call: int | None = None
    container: int | None = None


def write_statements(drafts: Iterable[StatementDraft]) -> None:
    """Write the statements of machines, all at once."""
    types = {"call_id": "bigint", "container_id": "bigint", "milestone": "text", "kind": "text", "value": "date"}
    types |= {"at": "timestamptz", "source": "text", "rank": "smallint", "said_at": "timestamptz", "event_id": "bigint"}
    rows = [
        (one.call, one.container, one.milestone, one.kind, one.value)
        + (one.said.instant, one.said.source, one.said.rank, one.said.at, one.said.event)
        for one in drafts
    ]
    insert_columns(DateStatement._meta.db_table, types, rows)


def take_over_dates(expected: Iterable[tuple[Shipment, Sequence[Leg], Sequence[ExpectedLeg]]]) -> list[Shipment]:
    """Write the expected dates of the legs and of the dock, where they are others. Returns whose dock date moved."""
    legs, moved = [], []
    for shipment, those, dates in expected:
        for leg, day in zip(those, dates, strict=True):
            if (leg.expected_start, leg.expected_end) != (day.start, day.end):
                leg.expected_start, leg.expected_end = day.start, day.end
                legs.append(leg)
        dock = dates[-1].end if dates else None
        if shipment.expected_dock != dock:
            shipment.expected_dock = dock
            moved.append(shipment)
    types = {"expected_start": "date", "expected_end": "date"}
    update_columns(Leg._meta.db_table, types, [(leg.pk, leg.expected_start, leg.expected_end) for leg in legs])
    docks = [(shipment.pk, shipment.expected_dock) for shipment in moved]
    update_columns(Shipment._meta.db_table, {"expected_dock": "date"}, docks)
    return moved


def take_over_own_docks(docks: Mapping[int, date | None]) -> list[int]:
    """Write the own dock days of containers (by id), where they are others. Returns which moved."""
    known = dict(Container.objects.filter(pk__in=docks).values_list("pk", "own_dock"))
    moved = [(key, day) for key, day in docks.items() if known[key] != day]
    update_columns(Container._meta.db_table, {"own_dock": "date"}, moved)
    return [key for key, _ in moved]


def take_over_sailed(expected: Iterable[tuple[Shipment, Sequence[Leg], Sequence[ExpectedLeg]]]) -> None:
    """A corrected departure or arrival: the day on which a shipment's goods are written to have sailed follows it."""
    rows = []
    for shipment, legs, dates in expected:
        departed, arrived = sailed_days(shipment, legs, dates)
        if (departed, arrived) != (shipment.departed_on, shipment.arrived_on):
            shipment.departed_on, shipment.arrived_on = departed, arrived
            rows.append((shipment.pk, departed, arrived))
    update_columns(Shipment._meta.db_table, {"departed_on": "date", "arrived_on": "date"}, rows)


def sailed_days(
    shipment: Shipment, legs: Sequence[Leg], dates: Sequence[ExpectedLeg]
) -> tuple[date | None, date | None]:
    """The days on which a shipment whose goods departed, or arrived, did so by what is believed now."""
    departed, arrived = shipment.departed_on, shipment.arrived_on
    first = first_carried(legs)
    for leg, day in zip(legs, dates, strict=True):
        if departed and leg is first and day.started:
            departed = day.start
        if arrived and leg.main and day.ended:
            arrived = day.end
    # A departure that no one spoke of is not later than an arrival that someone did.
    return min(departed, arrived) if departed and arrived else departed, arrived


def take_over_calls(calls: Iterable[tuple[PortCall, date | None, date | None]]) -> None:
    """Write the expected arrival and departure of calls, where they are others."""
    rows = [
        (call.pk, arrival, departure)
        for call, arrival, departure in calls
        if (call.expected_arrival, call.expected_departure) != (arrival, departure)
    ]
    types = {"expected_arrival": "date", "expected_departure": "date"}
    update_columns(PortCall._meta.db_table, types, rows)


def mark_sailed(shipments: Sequence[Shipment], fact: str, day: date | None) -> None:
    """The shipments departed (departed_on) or arrived (arrived_on); their goods are in the next place with that.

    Without a day they have not, after all.
    """
    Shipment.objects.filter(pk__in=[shipment.pk for shipment in shipments]).update(**{fact: day})
    for shipment in shipments:
        setattr(shipment, fact, day)
