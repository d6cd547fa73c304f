"""The stand-in for a carrier's feed over real HTTP, its clock and its faults; and the reader that asks it."""

import json
import urllib.request
from datetime import UTC, datetime, timedelta

import pytest

from northing.formats.dcsa import Event, read_events
from northing.integrations.carrier.http import HttpFeed
from northing.integrations.carrier.standin import Clock, Sail, StandIn, scenario, serve
from northing.integrations.reading import Unreachable

NOON = datetime(2026, 11, 1, 12, tzinfo=UTC)
DAY = timedelta(days=1)
BOXES = ("QXNU1000016", "QXNU1000021")


def sails(count=1):
    return [
        Sail("9074729", "Heron", f"{n}S", "CNNGB", "NZTRG", NOON + n * DAY, NOON + (20 + n) * DAY, BOXES)
        for n in range(count)
    ]


@pytest.fixture
def feed():
    """The stand-in on a free port, at a day when everything has been said; without faults unless a test wants them."""
    standin = StandIn(scenario(sails(6)), Clock(NOON + 90 * DAY, 0), broken_every=0, slow_every=0)
    server = serve(standin, 0)
    standin.url = f"http://127.0.0.1:{server.server_port}"
    yield standin
    server.shutdown()


def test_a_scenario_is_the_same_every_time_and_has_the_faults_of_real_ones():
    told = scenario(sails(12))
    assert told == scenario(sails(12))
    ids = [one.event["eventID"] for one in told]
    assert len(ids) > len(set(ids)), "nothing comes twice"
    said = [one.event["eventCreatedDateTime"] for one in told]
    assert said != sorted(said), "nothing is out of order"
    assert any("metadata" in one.event for one in told), "nothing is withdrawn"
    assert any(one.event.get("equipmentReference") == "QXNU9999990" for one in told), "every container is known"
    read = [event for _, _, event in read_events(json.dumps([one.event for one in told]).encode())]
    assert all(isinstance(event, Event) for event in read)
    arrivals = {event.day for event in read if event.code == "ARRI" and event.voyage == "0S"}
    assert len(arrivals) > 1, "the schedule never changes"


def test_pages_and_since(feed):
    source = HttpFeed(feed.url, private=True)
    whole = json.loads(source.page(None).content)
    assert len(whole) == len(feed.told)
    since = NOON + 15 * DAY
    later = json.loads(source.page(since).content)
    assert 0 < len(later) < len(whole)
    assert all(datetime.fromisoformat(one["eventCreatedDateTime"]) >= since for one in later)
    first = HttpFeed(feed.url, private=True).page(None, "events?limit=5")
    second = HttpFeed(feed.url, private=True).page(None, first.next)
    assert json.loads(first.content) + json.loads(second.content) == whole[:10]
    assert not source.page(since).next


def test_the_clock_runs_as_fast_as_one_likes(feed):
    def ask(query=""):
        with urllib.request.urlopen(f"{feed.url}/clock{query}", timeout=5) as answer:
            return json.loads(answer.read())

    assert ask()["speed"] == 0
    seconds = iter(range(100))
    feed.clock = Clock(NOON, 3600, real=lambda: next(seconds))
    assert feed.clock.now() == NOON + timedelta(hours=1)
    feed.clock.run(86_400)
    assert feed.clock.now() > NOON + 1 * DAY
    assert ask("?speed=2")["speed"] == 2
    early = StandIn(scenario(sails()), Clock(NOON - 3 * DAY, 0))
    assert early.events(None, 0, 10) == ([], None)


def test_what_fails_is_said_in_words(feed, monkeypatch):
    feed.broken_every = 2
    source = HttpFeed(feed.url, private=True)
    source.page(None)
    with pytest.raises(Unreachable, match="answers 500"):
        source.page(None)
    feed.broken_every, feed.slow_every, feed.slow_for = 0, 1, 0.6
    monkeypatch.setattr("northing.integrations.reading.TIMEOUT", 0.2)
    with pytest.raises(Unreachable, match="cannot be reached"):
        source.page(None)
    with pytest.raises(Unreachable, match="answers 404"):
        HttpFeed(f"{feed.url}/nowhere", private=True).page(None)
    with pytest.raises(Unreachable, match="cannot be reached"):
        HttpFeed("http://127.0.0.1:1", private=True).page(None)
    with pytest.raises(Unreachable, match="redirects us to another address"):
        source.page(None, "http://127.0.0.2/events")
    feed.slow_every = 0
    monkeypatch.setattr("northing.integrations.reading.LARGEST", 100)
    with pytest.raises(Unreachable, match="larger than"):
        source.page(None)
