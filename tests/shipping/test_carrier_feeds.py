"""Polled feeds: everything is heard once whatever fails in between, and in the end believed as it was said."""

import json
from datetime import datetime, timedelta

import pytest
from django.urls import reverse

from northing.actions.shipping import carrier_events, carrier_feeds
from northing.actions.worklist.proof import move_faults
from northing.core.problems import NotAllowed, Refused
from northing.integrations.carrier.base import Feed, Page
from northing.integrations.reading import Unreachable
from northing.reports.proofs import position_faults
from northing.shipping.models import CarrierEvent, CarrierFeed, DateStatement, PortCall, Voyage
from tests.shipping import test_carrier_events
from tests.shipping.test_reroute import heron, sailing  # noqa: F401
from tests.worlds import NOW

DAY = timedelta(days=1)


def set_feed(world, who="administrator", **more):
    facts = {"carrier": world.parties["provider"].pk, "url": "http://127.0.0.1:1/v2"} | more
    return carrier_feeds.set_feed(world.act(who), carrier_feeds.FeedRequest(**facts))


def call(*said):
    """An event of the Heron."""
    event = test_carrier_events.call(*said)
    vessel = {"vesselIMONumber": Voyage.objects.get(vessel="Heron").imo} if Voyage.objects.exists() else {}
    event["transportCall"] |= {"carrierVoyageNumber": "1S", "vessel": vessel}
    return event


class Script(Feed):
    """A feed that answers with its pages, or fails where it says so. It remembers what it was asked."""

    def __init__(self, *pages):
        self.pages, self.asked, self.number = pages, [], 0

    def page(self, since: datetime | None, at: str = "") -> Page:
        self.asked.append((since, at))
        answer = self.pages[self.number]
        self.number += 1
        if isinstance(answer, Exception):
            raise answer
        events, following = answer
        return Page(json.dumps(events).encode(), following)


def test_heard_page_by_page_and_asked_again_from_a_week_before(world, heron):  # noqa: F811
    sailing(world, heron)
    feed = CarrierFeed.objects.get(pk=set_feed(world))
    source = Script(([call("a", "DEPA", 4, -3)], "events?cursor=1"), ([call("b", "ARRI", 30, -2)], ""))
    assert carrier_feeds.poll(feed, NOW, source) == "2 new, 2 believed, 0 waiting"
    assert source.asked == [(None, ""), (None, "events?cursor=1")]
    feed.refresh_from_db()
    newest = CarrierEvent.objects.get(event_id="b").said_at
    assert (feed.heard_to, feed.resume, feed.failures) == (newest, "", 0)
    assert feed.next_at == NOW + timedelta(minutes=15)
    again = Script(([call("b", "ARRI", 30, -2), call("c", "ARRI", 33, -1)], ""))
    assert carrier_feeds.poll(feed, NOW, again) == "1 new, 1 believed, 0 waiting"
    assert again.asked == [(newest - carrier_feeds.OVERLAP, "")]


def test_what_fails_is_tried_later_and_goes_on_where_it_was_cut_off(world, heron):  # noqa: F811
    sailing(world, heron)
    feed = CarrierFeed.objects.get(pk=set_feed(world, every_minutes=10))
    source = Script(([call("a", "DEPA", 4, -3)], "events?cursor=1"), Unreachable("it answers 500"))
    assert carrier_feeds.poll(feed, NOW, source) == "it answers 500; 1 new, 1 believed, 0 waiting"
    feed.refresh_from_db()
    assert (feed.failures, feed.resume, feed.heard_to) == (1, "events?cursor=1", None)
    assert feed.next_at == NOW + timedelta(minutes=20)
    for failures, minutes in ((2, 40), (3, 80), (4, 160), (5, 240), (6, 240)):
        carrier_feeds.poll(feed, NOW, Script(Unreachable("it cannot be reached")))
        feed.refresh_from_db()
        assert (feed.failures, feed.next_at) == (failures, NOW + timedelta(minutes=minutes))
    source = Script(([call("b", "ARRI", 30, -2)], ""))
    assert carrier_feeds.poll(feed, NOW, source).startswith("1 new")
    feed.refresh_from_db()
    assert (source.asked, feed.failures, feed.resume) == ([(None, "events?cursor=1")], 0, "")


def test_the_worker_is_killed_between_two_lots(world, heron, monkeypatch):  # noqa: F811
    sailing(world, heron)
    feed = CarrierFeed.objects.get(pk=set_feed(world))
    events = [call(f"e{number}", "ARRI", 30, -number) for number in range(250)]
    heard = carrier_events.hear
    calls = []

    def dies(act, request):
        calls.append(1)
        if len(calls) == 2:
            raise KeyboardInterrupt
        return heard(act, request)

    monkeypatch.setattr(carrier_events, "BATCH", 100)
    monkeypatch.setattr(carrier_events, "hear", dies)
    with pytest.raises(KeyboardInterrupt):
        carrier_feeds.poll(feed, NOW, Script((events, "")))
    assert CarrierEvent.objects.count() == 100
    monkeypatch.setattr(carrier_events, "hear", heard)
    feed.refresh_from_db()
    assert carrier_feeds.poll(feed, NOW, Script((events, ""))).startswith("150 new")
    assert CarrierEvent.objects.count() == 250
    # Of all of them the newest estimate is believed.
    assert DateStatement.objects.filter(kind="estimated").count() == 250
    assert (position_faults(), move_faults()) == ([], [])


def test_of_two_feeds_that_speak_at_one_instant_the_higher_ranks(world, heron):  # noqa: F811
    sailing(world, heron)
    for source, key, days, rank in (("first", "a", 31, 2), ("second", "b", 40, 1)):
        batch = json.dumps([call(key, "ARRI", days, 0)]).encode()
        carrier_events.hear(world.act("shipping"), carrier_events.EventsRequest(source, batch, rank))
    arrival = PortCall.objects.get(voyage=heron, port="NZTRG").expected_arrival
    assert arrival == DateStatement.objects.get(source="first").value


def test_nonsense_of_a_feed_is_said_and_a_wrong_clock_does_not_make_us_deaf(world, heron):  # noqa: F811
    feed = CarrierFeed.objects.get(pk=set_feed(world))

    class Odd(Feed):
        def page(self, since, at=""):
            return Page(b"<html>", "")

    assert "is no JSON" in carrier_feeds.poll(feed, NOW, Odd())
    carrier_feeds.poll(feed, NOW, Script(([call("a", "ARRI", 30, 24 * 400)], "")))
    feed.refresh_from_db()
    assert feed.heard_to is None


@pytest.mark.parametrize(
    ("facts", "words"),
    [
        ({"url": "ftp://x"}, "begins with https"),
        ({"rank": 100}, "from 0 to 99"),
        ({"every_minutes": 0}, "every minute and once a day"),
        ({"carrier": 10**9}, "no such carrier"),
    ],
)
def test_a_feed_that_is_none(world, facts, words):
    with pytest.raises(Refused, match=words):
        set_feed(world, **facts)
    with pytest.raises(NotAllowed):
        set_feed(world, "dock")


def test_only_what_is_due_is_asked_and_the_page_says_how_it_went(world, client):
    set_feed(world)
    assert carrier_feeds.poll_due(NOW - DAY) == []
    [said] = carrier_feeds.poll_due(NOW)
    assert said.startswith("Feed of Forwarder: it cannot be reached")
    client.force_login(world.people["shipping"])
    shown = client.get(reverse("events")).content.decode()
    assert "failed 1 time" not in shown and CarrierFeed.objects.get().url not in shown, "feeds are the house's"
    assert client.post(reverse("set-feed"), {"key": "n"}).status_code == 403
    client.force_login(world.people["administrator"])
    assert "failed 1 time" in client.get(reverse("events")).content.decode()
    carrier = world.parties["provider"].pk
    asked = {"key": "k", "carrier": carrier, "url": "x", "rank": 1, "every_minutes": 5}
    assert client.post(reverse("set-feed"), asked).status_code == 422
    assert client.post(reverse("set-feed"), asked | {"url": "https://x.example/"}).status_code == 302
    # Another address is heard from its beginning; it is not asked any more without the mark.
    feed = CarrierFeed.objects.get()
    assert (feed.url, feed.active, feed.failures) == ("https://x.example/", False, 0)
    assert carrier_feeds.poll_due(NOW + 9 * DAY) == []
