"""A feed that was gone for a week is back with 50,000 events of 200 voyages and 2,000 containers, in batches."""

import json
import random
import time
from collections.abc import Iterator
from datetime import date, timedelta
from itertools import islice

from tests.worlds import NOW, TODAY, World

from northing.actions.shipping import carrier_events
from northing.formats.identifiers import with_container_check_digit
from northing.shipping.models import CarrierEvent, Container, PortCall

DAY = timedelta(days=1)
EVENTS = 50_000
AIM = "(aim 1,000)"


def replay(world: World) -> list[str]:
    """How many a second are heard; each is kept, and what it says is believed, noted or waits."""
    known = list(_known())
    events = _shuffled([*known, *islice(_unknown(), EVENTS - len(known))])
    started = time.perf_counter()
    states: dict[str, int] = {}
    for batch in carrier_events.in_batches(json.dumps(events).encode()):
        heard = carrier_events.hear(world.act("shipping"), carrier_events.EventsRequest("Bench", batch))
        for state in ("tied", "noted", "waits"):
            states[state] = states.get(state, 0) + heard[state]
    rate = len(events) / (time.perf_counter() - started)
    assert CarrierEvent.objects.count() == len(events)
    said = ", ".join(f"{count:,} {state}" for state, count in states.items())
    return [f"carriers' events, {len(events):,} ({said}): {rate:,.0f} a second {AIM}"]


def _shuffled(events: list[dict]) -> list[dict]:
    """As they come: by the time of saying, but a little out of order."""
    chance = random.Random(4)
    ordered = sorted(events, key=lambda one: (one["eventCreatedDateTime"], one["eventID"]))
    places = [index + chance.uniform(-300, 300) for index in range(len(ordered))]
    return [one for _, one in sorted(zip(places, ordered, strict=True), key=lambda pair: pair[0])]


def _known() -> Iterator[dict]:
    """Of every voyage but the one of 10,000 parts (what its slip costs is measured by itself): estimates again and
    again, plans, its departure; of every second what really came, and its containers one by one."""
    calls = PortCall.objects.filter(port="NZTRG").exclude(voyage__number="1S").select_related("voyage")
    boxes: dict[int, list[str]] = {}
    for voyage, number in Container.objects.filter(shipment__voyage__isnull=False).values_list(
        "shipment__voyage", "number"
    ):
        boxes.setdefault(voyage, []).append(number)
    for place, call in enumerate(calls):
        here = f"v{call.voyage_id}"
        yield _sailing(f"{here}d", call, "DEPA", "ACT", TODAY - 6 * DAY, 0)
        for again in range(160):
            yield _sailing(f"{here}e{again}", call, "ARRI", "EST", call.planned_arrival + again % 9 * DAY, again * 37)
        for again in range(5):
            yield _sailing(f"{here}p{again}", call, "ARRI", "PLN", call.planned_arrival + again * DAY, again * 900)
        if place % 2:
            yield _sailing(f"{here}a", call, "ARRI", "ACT", TODAY - 2 * DAY, 6_000)
        for number in boxes.get(call.voyage_id, ()):
            for again in range(5):
                yield _box(f"{number}e{again}", number, "DISC", "EST", call.planned_arrival + again * DAY, again * 950)
            if place % 2:
                yield _box(f"{number}d", number, "DISC", "ACT", TODAY - 2 * DAY, 6_300)
                yield _box(f"{number}o", number, "GTOT", "ACT", TODAY - DAY, 8_000)
                yield _box(f"{number}r", number, "GTIN", "ACT", TODAY, 9_500) | {"emptyIndicatorCode": "EMPTY"}


def _unknown() -> Iterator[dict]:
    for number in range(EVENTS):
        box = with_container_check_digit(f"QXZU{number:06d}")
        yield _box(f"u{number}", box, "DISC", "ACT", TODAY, 4_000)


def _sailing(key: str, call: PortCall, code: str, kind: str, day: date, minute: int) -> dict:
    port = "NZTRG" if code == "ARRI" else "CNNGB"
    where = {"UNLocationCode": port, "carrierVoyageNumber": call.voyage.number}
    where["vessel"] = {"vesselIMONumber": call.voyage.imo}
    return _event(key, "TRANSPORT", "transportEventTypeCode", code, kind, day, minute) | {"transportCall": where}


def _box(key: str, number: str, code: str, kind: str, day: date, minute: int) -> dict:
    return _event(key, "EQUIPMENT", "equipmentEventTypeCode", code, kind, day, minute) | {"equipmentReference": number}


def _event(key: str, event_type: str, name: str, code: str, kind: str, day: date, minute: int) -> dict:
    return {
        "eventID": key,
        "eventType": event_type,
        name: code,
        "eventClassifierCode": kind,
        "eventDateTime": f"{day}T08:00:00+13:00",
        "eventCreatedDateTime": (NOW - timedelta(minutes=10_000 - minute)).isoformat(),
    }
