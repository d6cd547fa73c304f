"""Hear carriers' events: keep each once, tie it to a voyage or a container, and say what it says of a date.

An event that fits nothing we know, or that a rule refuses, waits in a list until a person ties or drops it. What an
event says is said at the carrier's own time of saying, so that what comes late does not overrule what is newer.
"""

import json
from collections.abc import Iterable, Iterator
from dataclasses import dataclass, replace
from typing import Any
from zoneinfo import ZoneInfo

from northing.access.acts import Act
from northing.access.permissions import require_somewhere
from northing.actions.shipping import ripple_notices
from northing.actions.shipping.event_batches import WITHDRAWN, EventBatch, State
from northing.actions.shipping.match_events import Meant
from northing.activity.operations import add_history, once
from northing.core.problems import Problem, Refused
from northing.database.columns import draw_keys, insert_columns
from northing.formats.dcsa import EQUIPMENT, TRANSPORT, Event, raw_events, read_events
from northing.masterdata.models import Port
from northing.reports.dealings import visible_events
from northing.shipping import operations as shipping
from northing.shipping.models import CarrierEvent, Container, DateStatement, PortCall
from northing.shipping.queries import expected_docks, visible_shipments

MOST_TOLD = 100
# A batch is one transaction, and one step of progress; what follows from it is worked out once.
BATCH = 5_000


@dataclass(frozen=True)
class EventsRequest:
    """Events as they came, and from whom: the name of a carrier or of its feed."""

    source: str
    content: bytes
    rank: int = 0


def in_batches(content: bytes) -> Iterator[bytes]:
    """The events of a file in batches of BATCH, each a file of its own: one transaction, and one step of progress."""
    events = raw_events(content)
    for first in range(0, len(events), BATCH):
        yield json.dumps(events[first : first + BATCH]).encode()


@dataclass(frozen=True)
class EventRequest:
    """One event that waits (id)."""

    event: int


@dataclass(frozen=True)
class TieRequest:
    """One event that waits, and the port call or the container that it is about (ids)."""

    event: int
    call: int | None = None
    container: int | None = None


@once
def hear(act: Act, request: EventsRequest) -> dict[str, Any]:
    """Take events in; one that is known is left alone. Returns how many were new, tied, noted, waiting, and wrong."""
    if not act.of_house:
        require_somewhere(act.person, "say_dates")
    source = " ".join(request.source.replace("\x00", " ").split())[:60]
    if not source:
        raise Refused(Problem("Say from whom the events are.", "source"))
    read, wrong = [], []
    for place, raw, said in read_events(request.content):
        if isinstance(said, Event):
            read.append((raw, said))
        else:
            wrong.append(f"Event {place}: {said}.")
    docks = expected_docks(act.today)
    new = _met(act, source, _at_their_places(read))
    batch = EventBatch(act, Meant(event for _, event in new), request.rank)
    gone = {event.retracts for _, event in new if event.retracts}
    _withdraw(source, gone, batch)
    for record, event in sorted(new, key=lambda one: (one[1].said_at, one[1].event_id)):
        record.retracted = record.retracted or event.event_id in gone
        _tie(record, event, batch)
    _keep([record for record, _ in new])
    batch.follow()
    ripple_notices.tell_owners(act, source, docks)
    states = [record.state for record, _ in new]
    if new:
        add_history(act, "hear", f"{len(new)} events of {source}", [("events", 0, None)])
    return {
        "new": len(new),
        "known": len(read) - len(new),
        **{state: states.count(state) for state in (State.TIED, State.NOTED, State.WAITS)},
        "wrong": wrong[:MOST_TOLD],
    }


def _at_their_places(read: list[tuple[dict, Event]]) -> list[tuple[dict, Event]]:
    """The events with their day by the clock of the port they are about; where it has none, of the event's offset."""
    ports = Port.objects.filter(code__in={event.port for _, event in read}).exclude(time_zone="")
    zones = {code: ZoneInfo(zone) for code, zone in ports.values_list("code", "time_zone")}
    return [
        (raw, replace(event, day=event.at.astimezone(zones[event.port]).date()) if event.port in zones else event)
        for raw, event in read
    ]


def _met(act: Act, source: str, read: list[tuple[dict, Event]]) -> list[tuple[CarrierEvent, Event]]:
    """Those that are new, to be kept once it is known what becomes of them; they have their ids."""
    ids = [event.event_id for _, event in read]
    of_source = CarrierEvent.objects.filter(source=source)
    met, new = set(of_source.filter(event_id__any_of=ids).values_list("event_id", flat=True)), []
    # What was taken back before it came.
    gone = set(of_source.exclude(retracts="").filter(retracts__any_of=ids).values_list("retracts", flat=True))
    for raw, event in read:
        if event.event_id not in met:
            met.add(event.event_id)
            record = CarrierEvent(
                source=source,
                event_id=event.event_id,
                kind=event.kind,
                code=event.code,
                day=event.day,
                at=event.at,
                said_at=event.said_at,
                heard_at=act.at,
                heard_by_id=act.person.pk,
                port=event.port,
                imo=event.imo,
                voyage=event.voyage,
                container=event.container,
                empty=event.empty,
                event_type=event.event_type,
                retracts=event.retracts,
                retracted=event.event_id in gone,
                raw=raw,
            )
            new.append((record, event))
    for (record, _), key in zip(new, draw_keys(CarrierEvent._meta.db_table, len(new)), strict=True):
        record.pk = key
    return new


KEPT = {"id": "bigint", "source": "text", "event_id": "text", "event_type": "text", "code": "text", "kind": "text"}
KEPT |= {"day": "date", "said_at": "timestamptz", "heard_at": "timestamptz", "port": "text", "imo": "text"}
KEPT |= {"voyage": "text", "container": "text", "at": "timestamptz", "empty": "bool", "retracts": "text"}
KEPT |= {"heard_by_id": "bigint", "retracted": "bool", "state": "text", "says": "text", "raw": "jsonb"}


def _keep(records: list[CarrierEvent]) -> None:
    """Write what was heard. Its statements point at it already; the database minds that at the end."""
    rows = [tuple(json.dumps(one.raw) if name == "raw" else getattr(one, name) for name in KEPT) for one in records]
    insert_columns(CarrierEvent._meta.db_table, KEPT, rows)


def _withdraw(source: str, ids: Iterable[str], batch: EventBatch) -> None:
    """Stop believing the events that a carrier takes back. Moves of goods that followed one alone are undone;
    where a rule stands against that, the event stays believed, and the one that takes it back waits with the reason.
    """
    seen = CarrierEvent.objects.all() if batch.act.of_house else visible_events(batch.act.person)
    taken = seen.filter(source=source, event_id__in=list(ids), retracted=False)
    keys = set(taken.values_list("pk", flat=True))
    by_event: dict[int, list[DateStatement]] = {key: [] for key in keys}
    for said in DateStatement.objects.filter(event__in=keys, retracted=False).order_by("pk"):
        by_event[said.event_id].append(said)
    happened = {key for key, some in by_event.items() if any(said.kind == "actual" for said in some)}
    # What has not happened moves no goods: all of it at once. What has is undone each by itself, or stays.
    for some in (keys - happened, *({key} for key in sorted(happened))):
        try:
            batch.unsay([said for key in some for said in by_event[key]])
        except Refused as refused:
            batch.stays |= dict.fromkeys(some, " ".join(str(problem) for problem in refused.problems))
    shipping.withdraw_events(keys - batch.stays.keys(), WITHDRAWN)


def _tie(record: CarrierEvent, event: Event, batch: EventBatch) -> None:
    """Tie an event, or let it wait."""
    try:
        state, says = batch.say(record, event)
    except Refused as refused:
        state, says = State.WAITS, " ".join(str(problem) for problem in refused.problems)
    record.state, record.says = state, says[:240]


@once
def try_again(act: Act, request: EventRequest) -> int:
    """Try to tie an event that waits: what it lacked may be there now."""
    record = _waiting(act, request.event)
    event = _event_of(record)
    return _try(act, record, event, Meant([event]))


@once
def tie(act: Act, request: TieRequest) -> int:
    """Tie an event that waits to the port call, or to the container, that it is about; then it is heard."""
    record = _waiting(act, request.event)
    event = _event_of(record)
    call = PortCall.objects.filter(pk=request.call).select_related("voyage").first() if request.call else None
    mine = Container.objects.filter(shipment__in=visible_shipments(act.person))
    box = mine.filter(pk=request.container).first() if request.container else None
    if call and event.event_type == TRANSPORT:
        event = replace(event, imo=call.voyage.imo, voyage=call.voyage.number, port=call.port_id)
    elif box and event.event_type == EQUIPMENT:
        event = replace(event, container=box.number)
    else:
        raise Refused(Problem("Choose what it is about: a port call, or a container.", "about"))
    about = call or box
    add_history(act, "tie_event", f"Tied event {record.event_id} of {record.source} to {about}", [("events", 0, None)])
    return _try(act, record, event, Meant([event], about.pk))


def _try(act: Act, record: CarrierEvent, event: Event, meant: Meant) -> int:
    # The key is that of the action: those that the event leads to have none of their own.
    batch = EventBatch(act.inner(), meant)
    if event.retracts:
        _withdraw(record.source, [event.retracts], batch)
    _tie(record, event, batch)
    batch.follow()
    if record.state == State.WAITS:
        raise Refused(Problem(record.says, mend="Mend that, or drop the event."))
    shipping.mark_event(record)
    return record.pk


@once
def drop(act: Act, request: EventRequest) -> int:
    """Drop an event that is of no use to us."""
    record = _waiting(act, request.event)
    record.state, record.says = State.DROPPED, f"dropped by {act.person}"[:240]
    shipping.mark_event(record)
    add_history(act, "drop_event", f"Dropped event {record.event_id} of {record.source}", [("events", 0, None)])
    return record.pk


def _waiting(act: Act, event: int) -> CarrierEvent:
    require_somewhere(act.person, "say_dates")
    record = visible_events(act.person).select_for_update(of=("self",)).filter(pk=event).first()
    if record is None or record.state != State.WAITS:
        raise Refused(Problem("This event does not wait any more.", mend="Look again."))
    return record


def _event_of(record: CarrierEvent) -> Event:
    return Event(
        event_id=record.event_id,
        event_type=record.event_type,
        code=record.code,
        kind=record.kind,
        at=record.at or record.said_at,
        day=record.day,
        said_at=record.said_at,
        port=record.port,
        imo=record.imo,
        voyage=record.voyage,
        container=record.container,
        empty=record.empty,
        retracts=record.retracts,
    )
