"""Hear carriers' events: keep each once, tie it to a voyage or a container, and say what it says of a date.

An event that fits nothing we know, or that a rule refuses, waits in a list until somebody ties or drops it. What an
event says is said at the carrier's own time of saying, so that what comes late does not overrule what is newer.
"""

import json
from collections.abc import Iterable, Iterator
from dataclasses import dataclass, field, replace
from typing import Any
from zoneinfo import ZoneInfo

from northing.core.periods import far_problems
from northing.core.problems import Problem, Refused, refuse_if
from northing.deeds.aftermath import bring_along
from northing.deeds.ship import following, handling, rippling
from northing.deeds.ship.meaning import CallMeant, Meant
from northing.directory.acts import Act
from northing.directory.columns import update_columns
from northing.directory.models import Port
from northing.directory.rights import companies_of, require_somewhere
from northing.formats.dcsa import EQUIPMENT, TRANSPORT, Event, read_events
from northing.papers.operations import Told, once, tell, tell_many
from northing.shipping import operations as shipping
from northing.shipping.models import CarrierEvent, DateStatement, Leg, PortCall
from northing.shipping.operations import Said
from northing.shipping.queries import expected_docks

State = CarrierEvent.State
CALLS = {"DEPA": "departure", "ARRI": "arrival"}
MOST_TOLD = 100
# A lot is one transaction, and one step of progress; what follows from it is worked out once.
LOT = 1_000
WITHDRAWN = "withdrawn by its sender"


@dataclass(frozen=True)
class EventsRequest:
    """Events as they came, and from whom: the name of a carrier or of its feed."""

    source: str
    content: bytes
    rank: int = 0


def in_lots(content: bytes) -> Iterator[bytes]:
    """The events of a file in lots of LOT, each a file of its own: one transaction, and one step of progress."""
    events = [raw for _, raw, _ in read_events(content)]
    for first in range(0, len(events), LOT):
        yield json.dumps(events[first : first + LOT]).encode()


@dataclass(frozen=True)
class EventRequest:
    """One event that waits (id)."""

    event: int


@once
def hear(act: Act, request: EventsRequest) -> dict[str, Any]:
    """Take events in; one that is known is left alone. Returns how many were new, tied, noted, waiting, and wrong."""
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
    docks = expected_docks()
    new = _keep(act, source, _at_their_places(read))
    moved = _Moved(Meant(event for _, event in new), rank=request.rank)
    boxes = _withdraw(source, [event.retracts for _, event in new if event.retracts], moved)
    taken = CarrierEvent.objects.filter(pk__in=[record.pk for record, _ in new], retracted=True)
    gone = set(taken.values_list("pk", flat=True))
    for record, event in sorted(new, key=lambda one: (one[1].said_at, one[1].event_id)):
        record.retracted = record.pk in gone
        _tie(act, record, event, moved)
    said = [(record.pk, str(record.state), record.says) for record, _ in new]
    update_columns(CarrierEvent._meta.db_table, {"state": "text", "says": "text"}, said)
    moved.follow(act)
    bring_along(shipments=boxes)
    rippling.tell_owners(act, source, docks)
    states = [record.state for record, _ in new]
    if new:
        tell(act, "hear", f"{len(new)} events of {source}", [("events", 0, None)])
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


def _keep(act: Act, source: str, read: list[tuple[dict, Event]]) -> list[tuple[CarrierEvent, Event]]:
    ids = [event.event_id for _, event in read]
    of_source = CarrierEvent.objects.filter(source=source)
    met, new = set(of_source.filter(event_id__in=ids).values_list("event_id", flat=True)), []
    # What was taken back before it came.
    gone = set(of_source.filter(retracts__in=ids).values_list("retracts", flat=True))
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
    CarrierEvent.objects.bulk_create([record for record, _ in new])
    return new


@dataclass
class _Moved:
    """What the events of a lot are about; estimates that are still to be written; and the shipments and calls (ids)
    whose dates are to be brought along at the end."""

    meant: Meant
    estimates: list[shipping.Estimate] = field(default_factory=list)
    # Of several estimates of the same date in a lot the story tells the last that was said.
    told: dict[tuple[int, str], Told] = field(default_factory=dict)
    shipments: set[int] = field(default_factory=set)
    calls: set[int] = field(default_factory=set)
    # That of the source they are heard from.
    rank: int = 0

    def follow(self, act: Act) -> None:
        """Write them, and bring along what follows, once for all."""
        shipping.write_estimates(self.estimates)
        tell_many(act, list(self.told.values()))
        calls = list(PortCall.objects.filter(pk__in=self.calls))
        following.follow_dates(act, shipping.lock(self.shipments).values(), calls)


def _withdraw(source: str, ids: Iterable[str], moved: _Moved) -> list[int]:
    """What a carrier takes back is believed no more. Returns the shipments of whose containers it spoke.

    An actual departure or arrival that goods have followed stays: they cannot be un-sailed by a message.
    """
    taken = CarrierEvent.objects.filter(source=source, event_id__in=list(ids), retracted=False)
    taken = taken.exclude(state=State.TIED, kind="actual", event_type=TRANSPORT)
    keys = list(taken.values_list("pk", flat=True))
    statements = DateStatement.objects.filter(event__in=keys)
    calls = set(statements.exclude(call=None).values_list("call", flat=True))
    voyages = PortCall.objects.filter(pk__in=calls).values("voyage")
    moved.calls |= calls
    moved.shipments |= set(Leg.objects.filter(load_call__voyage__in=voyages).values_list("shipment", flat=True))
    boxes = list(statements.exclude(container=None).values_list("container__shipment", flat=True))
    CarrierEvent.objects.filter(pk__in=keys).update(retracted=True)
    CarrierEvent.objects.filter(pk__in=keys, state=State.WAITS).update(state=State.NOTED, says=WITHDRAWN)
    return boxes


def _tie(act: Act, record: CarrierEvent, event: Event, moved: _Moved) -> None:
    """Tie an event, or let it wait."""
    try:
        # The key is that of the whole lot: the deeds that events lead to have none of their own.
        state, says = _say(act.inner(), record, event, moved)
    except Refused as refused:
        state, says = State.WAITS, " ".join(str(problem) for problem in refused.problems)
    record.state, record.says = state, says[:240]


def _say(act: Act, record: CarrierEvent, event: Event, moved: _Moved) -> tuple[str, str]:
    """Say what the event says. Raises Refused where a rule stands against it, or nothing is known that it fits."""
    if event.retracts:
        return _of_withdrawal(record, event)
    if record.retracted:
        return State.NOTED, WITHDRAWN
    if event.kind == "actual" and event.day > act.today:
        raise Refused(f"An actual day that has not come: {event.day:%-d %b %Y}.")
    if event.event_type == TRANSPORT and event.code in CALLS:
        return _of_voyage(act, record, event, moved)
    if event.event_type == EQUIPMENT and _milestone(event):
        return _of_container(act, record, event, moved)
    return State.NOTED, "no date that is believed by it"


def _of_withdrawal(record: CarrierEvent, event: Event) -> tuple[str, str]:
    taken = CarrierEvent.objects.filter(source=record.source, event_id=event.retracts).first()
    if taken is not None and not taken.retracted:
        raise Refused(f"It takes back {event.retracts}, which goods have followed: correct it by hand, then drop this.")
    return State.NOTED, f"takes back {event.retracts}"


def _of_voyage(act: Act, record: CarrierEvent, event: Event, moved: _Moved) -> tuple[str, str]:
    milestone = CALLS[event.code]
    call = moved.meant.call(event, milestone)
    if call is None:
        where = event.port or "no port"
        raise Refused(f"No voyage of IMO {event.imo or 'none'} {event.voyage} calls at {where} around that day.")
    if event.kind == "planned":
        return State.NOTED, "the plan is ours; a carrier's plan is kept beside it"
    said = Said(event.said_at, record.source, record.pk, event.at, moved.rank)
    if event.kind != "actual":
        return _estimate(act, call, milestone, event, said, moved)
    if following.recorded(call.key, milestone) == event.day:
        return State.NOTED, f"the {milestone} is recorded on that day already"
    following.say_date(act, following.DateRequest(None, milestone, event.kind, event.day, said, call.key))
    return State.TIED, f"{milestone} of the voyage"


def _estimate(act: Act, call: CallMeant, milestone: str, event: Event, said: Said, moved: _Moved) -> tuple[str, str]:
    """An estimate is written with the others of its lot; nothing happens to goods by it."""
    act.require("say_dates", *(call.companies or companies_of(act.person)))
    refuse_if(far_problems(event.day, act.today, "value"))
    moved.estimates.append(shipping.Estimate(call.key, milestone, event.day, said))
    words = f"{call.name}: estimated {milestone} at {call.port} {event.day:%-d %b %Y}, said by {said.source}"
    links = [*(("shipment", key, None) for key in sorted(call.shipments)), ("voyage", call.voyage, None)]
    moved.told[call.key, milestone] = Told("say_date", words, links, [])
    moved.shipments |= call.shipments
    moved.calls.add(call.key)
    return State.TIED, f"{milestone} of the voyage"


def _milestone(event: Event) -> str:
    """The container's milestone that an equipment event is about; empty where it is about none."""
    if event.code == "DISC":
        return "discharged"
    if event.code == "GTOT" and event.empty is not True:
        return "gate_out"
    return "returned" if event.code == "GTIN" and event.empty is True else ""


def _of_container(act: Act, record: CarrierEvent, event: Event, moved: _Moved) -> tuple[str, str]:
    if event.kind != "actual":
        return State.NOTED, "only what has happened to a container is believed"
    box = moved.meant.box(event)
    if box is None:
        raise Refused(f"No container {event.container or 'without a number'} of ours was under way on that day.")
    milestone = _milestone(event)
    said = Said(event.said_at, record.source, record.pk, event.at, moved.rank)
    handling.say_boxes(act, handling.BoxesRequest(box.shipment, (box.key,), milestone, event.day, said))
    return State.TIED, f"{handling.WORDS[milestone]}: {box.number}"


@once
def try_again(act: Act, request: EventRequest) -> int:
    """Try to tie an event that waits: what it lacked may be there now."""
    record = _waiting(act, request)
    event = _event_of(record)
    moved = _Moved(Meant([event]))
    _tie(act, record, event, moved)
    moved.follow(act)
    if record.state == State.WAITS:
        raise Refused(Problem(record.says, mend="Mend that, or drop the event."))
    record.save(update_fields=["state", "says"])
    return record.pk


@once
def drop(act: Act, request: EventRequest) -> int:
    """Drop an event that is of no use to us."""
    record = _waiting(act, request)
    record.state, record.says = State.DROPPED, f"dropped by {act.person}"[:240]
    record.save(update_fields=["state", "says"])
    tell(act, "drop_event", f"Dropped event {record.event_id} of {record.source}", [("events", 0, None)])
    return record.pk


def _waiting(act: Act, request: EventRequest) -> CarrierEvent:
    require_somewhere(act.person, "say_dates")
    record = CarrierEvent.objects.select_for_update().filter(pk=request.event).first()
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
