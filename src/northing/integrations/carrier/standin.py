"""The stand-in for a carrier's feed: a small HTTP service with a clock that can be run faster, and the faults of real
ones: late, twice, out of order, contradicting, an actual withdrawn, an unknown container, a changed schedule, an answer
of 500 and one that takes too long. Its events follow from its calls and a seed alone.
"""

import json
import random
import threading
import time
from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass, field
from datetime import datetime, timedelta
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer
from typing import Any
from urllib.parse import parse_qs, urlencode, urlsplit

HOUR = timedelta(hours=1)
DAY = timedelta(days=1)
SEED = 20261125
MOST = 1_000


@dataclass(frozen=True)
class Sail:
    """A leg that a vessel sails, with the containers aboard, by plan."""

    imo: str
    vessel: str
    voyage: str
    load: str
    discharge: str
    departs: datetime
    arrives: datetime
    containers: tuple[str, ...] = ()


@dataclass(frozen=True)
class Told:
    """An event, and when the feed first shows it: a late one long after it was said."""

    shown: datetime
    event: dict[str, Any]


def scenario(sails: Iterable[Sail], seed: int = SEED) -> list[Told]:
    """Everything the feed will ever say, in the order in which it is shown."""
    chance = random.Random(seed)
    told: list[Told] = []
    for sail in sails:
        told += _of_sail(sail, chance)
    return sorted(told, key=lambda one: (one.shown, one.event["eventID"]))


def _of_sail(sail: Sail, chance: random.Random) -> list[Told]:
    left = sail.departs + chance.choice([0, 0, 6, 30, 72]) * HOUR
    came = sail.arrives + chance.choice([-20, 0, 10, 50, 120]) * HOUR
    name = f"{sail.voyage}-{sail.load}-{sail.discharge}"
    found: list[Told] = []

    def say(key: str, kind: str, code: str, at: datetime, said: datetime, **more: Any) -> dict[str, Any]:
        late = chance.choice([0, 0, 0, 0, 30]) * HOUR
        event = _event(f"{name}-{key}", kind, code, at, said, sail, **more)
        found.append(Told(said + late, event))
        if chance.random() < 0.1:
            found.append(Told(said + late + HOUR, event))  # twice
        return event

    say("etd", "EST", "DEPA", left, sail.departs - 2 * DAY)
    say("atd", "ACT", "DEPA", left, left + 2 * HOUR)
    # The schedule changes on the way: estimates that come nearer to what will be, some of them contradicting.
    for number in range(3):
        said = left + (came - left) * (number + 1) / 4
        guess = came + chance.choice([-30, -6, 0, 8, 40]) * HOUR
        say(f"eta{number}", "EST", "ARRI", max(guess, said + HOUR), said)
        if chance.random() < 0.2:
            say(f"eta{number}b", "EST", "ARRI", max(guess + DAY, said + HOUR), said)
    if chance.random() < 0.3:  # an actual that is taken back
        wrong = say("ata0", "ACT", "ARRI", came - 5 * HOUR, came - 4 * HOUR)
        found.append(Told(came - 3 * HOUR, _withdrawal(wrong, came - 3 * HOUR)))
    say("ata", "ACT", "ARRI", came, came + 2 * HOUR)
    for box in sail.containers:
        out = came + chance.randint(1, 6) * DAY
        say(f"disc-{box}", "ACT", "DISC", came + 9 * HOUR, came + 12 * HOUR, box=box)
        say(f"out-{box}", "ACT", "GTOT", out, out + 3 * HOUR, box=box, empty="LADEN")
        back = out + chance.randint(2, 9) * DAY
        say(f"back-{box}", "ACT", "GTIN", back, back + 3 * HOUR, box=box, empty="EMPTY")
    if chance.random() < 0.5:  # a container that no one knows
        say("odd", "ACT", "DISC", came + 9 * HOUR, came + 12 * HOUR, box="QXNU9999990")
    return found


def _event(
    key: str, kind: str, code: str, at: datetime, said: datetime, sail: Sail, box: str = "", empty: str = ""
) -> dict[str, Any]:
    about = {"eventID": key, "eventClassifierCode": kind, "eventDateTime": at.isoformat()}
    about |= {"eventCreatedDateTime": said.isoformat()}
    if box:
        about |= {"eventType": "EQUIPMENT", "equipmentEventTypeCode": code, "equipmentReference": box}
        return about | ({"emptyIndicatorCode": empty} if empty else {})
    port = sail.load if code == "DEPA" else sail.discharge
    vessel = {"vesselIMONumber": sail.imo, "vesselName": sail.vessel}
    call = {"UNLocationCode": port, "carrierVoyageNumber": sail.voyage, "vessel": vessel}
    return about | {"eventType": "TRANSPORT", "transportEventTypeCode": code, "transportCall": call}


def _withdrawal(event: dict[str, Any], said: datetime) -> dict[str, Any]:
    key = event["eventID"]
    taken = {"eventID": f"{key}-not", "eventCreatedDateTime": said.isoformat()}
    return event | taken | {"metadata": {"retractedEventID": key}}


@dataclass
class Clock:
    """A clock that may run faster than ours, from some moment on."""

    begin: datetime
    speed: float = 1.0
    real: Callable[[], float] = time.monotonic
    _since: float = field(init=False)

    def __post_init__(self) -> None:
        self._since = self.real()

    def now(self) -> datetime:
        """The time in there."""
        return self.begin + timedelta(seconds=(self.real() - self._since) * self.speed)

    def run(self, speed: float) -> None:
        """Go on from now at another speed."""
        self.begin, self._since, self.speed = self.now(), self.real(), speed


@dataclass
class StandIn:
    """The service: what it will say, its clock, and at which of its answers it fails."""

    told: Sequence[Told]
    clock: Clock
    # Of the answers to GET /events, counted from 1: each so-manieth is a 500, each so-manieth takes too long.
    broken_every: int = 7
    slow_every: int = 11
    slow_for: float = 20.0
    answers: int = 0
    _lock: threading.Lock = field(default_factory=threading.Lock)

    def events(self, since: datetime | None, first: int, limit: int) -> tuple[list[dict[str, Any]], int | None]:
        """Events shown by now that were said since, in the order shown, and where the next page begins."""
        now = self.clock.now()
        seen = [one.event for one in self.told if one.shown <= now]
        if since:
            seen = [one for one in seen if datetime.fromisoformat(one["eventCreatedDateTime"]) >= since]
        page = seen[first : first + limit]
        return page, first + limit if len(seen) > first + limit else None

    def fault(self) -> str:
        """Which fault the next answer has, if any."""
        with self._lock:
            self.answers += 1
            if self.slow_every and self.answers % self.slow_every == 0:
                return "slow"
            return "broken" if self.broken_every and self.answers % self.broken_every == 0 else ""


def serve(standin: StandIn, port: int) -> ThreadingHTTPServer:
    """The service on loopback, in a thread of its own."""

    class Handler(BaseHTTPRequestHandler):
        def do_GET(self) -> None:
            at = urlsplit(self.path)
            asked = {name: values[-1] for name, values in parse_qs(at.query).items()}
            if at.path == "/clock":
                if "speed" in asked:
                    standin.clock.run(min(float(asked["speed"]), 1_000_000.0))
                self._answer(200, {"now": standin.clock.now().isoformat(), "speed": standin.clock.speed})
            elif at.path == "/events":
                self._events(asked)
            else:
                self._answer(404, {"statusCode": 404})

        def _events(self, asked: dict[str, str]) -> None:
            fault = standin.fault()
            if fault == "broken":
                self._answer(500, {"statusCode": 500})
                return
            if fault == "slow":
                time.sleep(standin.slow_for)
            said = asked.get("eventCreatedDateTime:gte")
            limit = min(int(asked.get("limit", "100")), MOST)
            page, following = standin.events(
                datetime.fromisoformat(said) if said else None, int(asked.get("cursor", "0")), limit
            )
            more = {} if following is None else {"Next-Page": f"events?{urlencode(asked | {'cursor': str(following)})}"}
            self._answer(200, page, more)

        def _answer(self, status: int, content: object, headers: dict[str, str] | None = None) -> None:
            body = json.dumps(content).encode()
            try:
                self.send_response(status)
                self.send_header("Content-Type", "application/json")
                self.send_header("Content-Length", str(len(body)))
                for name, value in (headers or {}).items():
                    self.send_header(name, value)
                self.end_headers()
                self.wfile.write(body)
            except OSError:
                pass  # the person who asked has gone: we were the slow one

        def log_message(self, *args: object) -> None:
            """Nothing is logged: the demo's terminal is for its people."""

    server = ThreadingHTTPServer(("127.0.0.1", port), Handler)
    threading.Thread(target=server.serve_forever, daemon=True).start()
    return server
