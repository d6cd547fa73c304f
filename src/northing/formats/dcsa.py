"""Track & Trace events in the open JSON of the DCSA: transport, equipment and shipment events, read or refused.

Only what Northing believes dates by is read; the whole event is kept beside it. Days are those of the event's own
offset; the person who knows the port's own clock may say better.
"""

import json
from collections.abc import Iterator
from dataclasses import dataclass
from datetime import UTC, date, datetime
from typing import Any

from northing.core.money.periods import day_problems
from northing.core.problems import Problem, Refused

LARGEST = 50_000_000
MOST = 50_000
CLASSIFIERS = {"PLN": "planned", "EST": "estimated", "ACT": "actual"}
TRANSPORT, EQUIPMENT, SHIPMENT = "TRANSPORT", "EQUIPMENT", "SHIPMENT"
CODES = {
    TRANSPORT: "transportEventTypeCode",
    EQUIPMENT: "equipmentEventTypeCode",
    SHIPMENT: "shipmentEventTypeCode",
}


@dataclass(frozen=True, slots=True)
class Event:
    """The contents of an event. Texts are empty where it says nothing; `kind` is planned, estimated or actual."""

    event_id: str
    event_type: str
    code: str
    kind: str
    at: datetime
    day: date
    said_at: datetime
    port: str
    imo: str
    voyage: str
    container: str
    empty: bool | None
    retracts: str


def read_events(content: bytes) -> Iterator[tuple[int, dict[str, Any], Event | str]]:
    """Each event of a file with its place from 1: the raw event, and what it says or why it cannot be read.

    Raises Refused for what is no such file.
    """
    raw = raw_events(content)
    return ((place, one if isinstance(one, dict) else {}, _read(one)) for place, one in enumerate(raw, 1))


def raw_events(content: bytes) -> list[Any]:
    """The events of a file as they are: a list of them, or an object with a list under `events`.

    Raises Refused for what is neither, and for more than is taken at once.
    """
    if len(content) > LARGEST:
        raise Refused(Problem(f"The file is larger than {LARGEST // 1_000_000} MB.", "file", "Split it."))
    try:
        found = json.loads(content.decode("utf-8-sig"))
    except (UnicodeDecodeError, ValueError, RecursionError) as error:
        raise Refused(Problem(f"The file is no JSON: {str(error)[:80]}.", "file")) from None
    events = found.get("events") if isinstance(found, dict) else found
    if not isinstance(events, list):
        raise Refused(Problem("The file holds no list of events.", "file", "Send a list, or an object with `events`."))
    if len(events) > MOST:
        raise Refused(Problem(f"The file holds more than {MOST:,} events.", "file", "Split it."))
    return events


def _read(raw: object) -> Event | str:
    try:
        return read_event(raw)
    except ValueError as error:
        return str(error)


def read_event(raw: object) -> Event:
    """The contents of one event. Raises ValueError in words.

    >>> said = {"eventID": "e1", "eventType": "EQUIPMENT", "equipmentEventTypeCode": "DISC"}
    >>> said |= {"eventClassifierCode": "ACT", "eventDateTime": "2026-11-22T23:30:00+13:00"}
    >>> said |= {"eventCreatedDateTime": "2026-11-22T11:00:00Z", "equipmentReference": "csqu3054383"}
    >>> event = read_event(said)
    >>> event.kind, event.day.isoformat(), event.container
    ('actual', '2026-11-22', 'CSQU3054383')
    """
    if not isinstance(raw, dict):
        raise ValueError("it is no object")
    event_type = _text(raw, "eventType", 12)
    if event_type not in CODES:
        raise ValueError(f"eventType {event_type[:20]!r} is none of {', '.join(CODES)}")
    kind = CLASSIFIERS.get(_text(raw, "eventClassifierCode", 3))
    if kind is None:
        raise ValueError("eventClassifierCode is none of PLN, EST, ACT")
    event_id = _text(raw, "eventID", 100)
    if not event_id:
        raise ValueError("eventID is missing")
    at, said_at = _instant(raw, "eventDateTime"), _instant(raw, "eventCreatedDateTime")
    call = _inner(raw, "transportCall")
    vessel = _inner(call, "vessel")
    empty = _text(raw, "emptyIndicatorCode", 5)
    return Event(
        event_id=event_id,
        event_type=event_type,
        code=_text(raw, CODES[event_type], 4).upper(),
        kind=kind,
        at=at.astimezone(UTC),
        day=at.date(),
        said_at=said_at.astimezone(UTC),
        port=_port(raw, call),
        imo=_text(vessel, "vesselIMONumber", 7) or _text(call, "vesselIMONumber", 7),
        voyage=_text(call, "exportVoyageNumber", 50)
        or _text(call, "carrierExportVoyageNumber", 50)
        or _text(call, "carrierVoyageNumber", 50),
        container=_text(raw, "equipmentReference", 15).upper().replace(" ", ""),
        empty={"EMPTY": True, "LADEN": False}.get(empty.upper()),
        retracts=_text(_inner(raw, "metadata"), "retractedEventID", 100) or _text(raw, "retractedEventID", 100),
    )


def _inner(raw: dict[str, Any], name: str) -> dict[str, Any]:
    found = raw.get(name)
    return found if isinstance(found, dict) else {}


def _text(raw: dict[str, Any], name: str, longest: int) -> str:
    found = raw.get(name)
    if found is None:
        return ""
    if isinstance(found, bool) or not isinstance(found, str | int):
        raise ValueError(f"{name} is no text")
    text = str(found).strip()
    if len(text) > longest or "\x00" in text:
        raise ValueError(f"{name} is longer than {longest} characters")
    return text


def _port(raw: dict[str, Any], call: dict[str, Any]) -> str:
    places = (call, _inner(call, "location"), _inner(raw, "eventLocation"))
    return next(filter(None, (_text(place, "UNLocationCode", 5).upper() for place in places)), "")


def _instant(raw: dict[str, Any], name: str) -> datetime:
    text = _text(raw, name, 40)
    try:
        found = datetime.fromisoformat(text)
    except ValueError:
        raise ValueError(f"{name} {text[:30]!r} is no time like 2026-11-22T23:30:00+13:00") from None
    if found.tzinfo is None:
        raise ValueError(f"{name} says no offset from UTC")
    if day_problems(found.date(), name) or not 2000 <= found.year <= 2100:
        raise ValueError(f"{name} {text[:30]!r} is not a plausible time")
    return found
