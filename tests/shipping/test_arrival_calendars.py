"""The calendar of arrivals: for who has its address; it moves with the dates, and tells nothing of other sites."""

from datetime import timedelta
from decimal import Decimal as D

import pytest
import time_machine
from django.test import Client
from django.urls import reverse

from northing.access.models import Person
from northing.actions.shipping import arrival_calendars
from northing.core.problems import NotAllowed
from northing.shipping.models import ArrivalCalendar
from tests.worlds import CONTAINERS, NOW, TODAY

DAY = timedelta(days=1)


@pytest.fixture(autouse=True)
def on_the_day():
    with time_machine.travel(NOW, tick=True):
        yield


def make(world, site=None, who="dock"):
    link = arrival_calendars.make_feed(world.act(who), arrival_calendars.FeedRequest((site or world.site).pk))
    return "/shipping/calendar/" + link.partition("/calendar/")[2]


def days(text):
    return [line.partition(":")[2] for line in text.replace("\r\n ", "").split("\r\n") if line.startswith("DTSTART")]


def test_a_calendar_without_signing_in_moves_with_the_shipment(world):
    shipment = world.shipment([world.sent_order({"A": D(240)})])
    url = make(world)
    answer = Client().get(url)
    text = answer.content.decode()
    assert answer["Content-Type"].startswith("text/calendar") and answer.status_code == 200
    assert f"{shipment.reference}: 1 container" in text and CONTAINERS[0] in text and "240 units to come" in text
    shipment.refresh_from_db()
    assert days(text) == [f"{shipment.expected_dock:%Y%m%d}"]
    world.say(shipment, "departure")
    world.say(shipment, "arrival", TODAY + 30 * DAY, "estimated")
    assert days(Client().get(url).content.decode()) == [f"{TODAY + 30 * DAY:%Y%m%d}"]


def test_only_the_sites_own(world):
    world.shipment([world.sent_order({"A": D(240)})])
    text = Client().get(make(world, world.au.sites.get())).content.decode()
    assert "VEVENT" not in text and "END:VCALENDAR" in text


def test_it_ends_and_a_wrong_token_opens_nothing(world):
    url = make(world)
    assert ArrivalCalendar.objects.get().token_hash not in url
    assert arrival_calendars.end_feeds(world.act("dock"), arrival_calendars.FeedRequest(world.site.pk)) == 1
    assert Client().get(url).status_code == 404
    for _ in range(14):
        answer = Client().get("/shipping/calendar/nothing/arrivals.ics")
    assert answer.status_code == 429


def test_who_only_looks_makes_none(world, client):
    with pytest.raises(NotAllowed):
        make(world, who="viewer")
    client.force_login(Person.objects.get(username="dock"))
    page = client.post(reverse("make-feed", args=[world.site.pk]))
    assert "arrivals.ics" in page.content.decode() and page["Cache-Control"] == "no-store"
    assert "never read" in client.get(reverse("record", args=["site", world.site.pk])).content.decode()
    client.post(reverse("end-feeds", args=[world.site.pk]), {"key": "e"})
    assert ArrivalCalendar.objects.get().ended_at
    client.force_login(Person.objects.get(username="stranger"))
    assert client.post(reverse("make-feed", args=[world.site.pk])).status_code == 404


def test_a_hundred_shipments_take_one_statement(world, django_assert_max_num_queries):
    world.shipment([world.sent_order({"A": D(240)})])
    url = make(world)
    with django_assert_max_num_queries(6):
        assert Client().get(url).status_code == 200
