"""The passage board: what it draws of the facts, how many queries that takes, what odd addresses do."""

from datetime import timedelta

import pytest
import time_machine
from django.db import connection
from django.test.utils import CaptureQueriesContext
from django.urls import reverse
from lxml import etree

from northing.access.models import Person
from northing.drawings.board import Band, Bar, Mark, board_svg
from northing.formats.identifiers import with_container_check_digit
from northing.shipping.models import Shipment
from tests.shipping.test_reroute import heron, sailing, say, tern  # noqa: F401
from tests.worlds import NOW, TODAY

DAY = timedelta(days=1)


@pytest.fixture
def desk(world, client):
    client.force_login(Person.objects.get(username="shipping"))
    with time_machine.travel(NOW, tick=False):
        yield client


def drawn(desk, query=""):
    """The board as elements: rows by what they tell, and the kinds of all marks."""
    page = desk.get(reverse("board") + query)
    assert page.status_code == 200
    text = page.content.decode()
    if '<svg class="board"' not in text:
        return [], []
    first = text.index('<svg class="board"')
    root = etree.fromstring(text[first : text.index("</svg>", first) + 6])
    tells = [link.get("data-tells") for link in root.iter("a")]
    kinds = [one.get("class") for one in root.iter("rect", "path") if one.get("class")]
    return tells, kinds


def test_what_is_drawn(desk, world, heron, tern):  # noqa: F811
    shipment = sailing(world, heron)
    say(world, heron, "CNNGB", "departure", 0, "actual")
    say(world, heron, "NZTRG", "arrival", 95)
    tells, kinds = drawn(desk)
    assert tells[0].startswith("Heron 1S: 1 shipments, 1 containers; departure CNNGB 24 Nov; ")
    # It left three days early, and so it reaches Melbourne. What has happened cannot be moved; what is to come can.
    assert [one.partition(".")[0] for one in tells if "Drag it" in one] == [
        "Heron 1S: arrival AUMEL 11 Dec, planned 14 Dec", "Heron 1S: departure AUMEL 12 Dec, planned 15 Dec",
    ]  # fmt: skip
    assert f"{shipment.reference}; at the dock 2 Mar 2027; 67 days behind plan; 1 need-by date missed" in tells
    assert {"ghost sea", "expected sea", "actual sea", "today", "call done"} <= set(kinds)
    # Half a year shows the late arrival, and the need-by day that it misses.
    _, kinds = drawn(desk, "?zoom=half")
    assert {"missed", "call late"} <= set(kinds)


def test_the_sentence_says_what_is_aboard(desk, world, heron):  # noqa: F811
    sailing(world, heron)
    assert drawn(desk, "?where=of A")[0]
    assert not drawn(desk, "?where=of B")[0]
    assert drawn(desk, "?where=aboard Heron 1S")[0]
    page = desk.get(reverse("board") + "?where=from nowhere")
    assert "is called nowhere" in page.content.decode()


ODD = ["?zoom=x&day=y&where=%00", "?day=9999-12-31", "?day=2026-02-31", "?where=" + "late," * 200]


@pytest.mark.parametrize("query", ODD)
def test_odd_addresses(desk, world, heron, query):  # noqa: F811
    sailing(world, heron)
    assert desk.get(reverse("board") + query).status_code == 200


def test_other_days_show_other_passages(desk, world, heron):  # noqa: F811
    sailing(world, heron)
    assert drawn(desk, f"?zoom=week&day={TODAY + 20 * DAY}")[0]
    assert not drawn(desk, f"?zoom=week&day={TODAY + 90 * DAY}")[0]


def test_the_other_company_sees_its_own(desk, world, client, heron):  # noqa: F811
    sailing(world, heron)
    client.force_login(world.people["stranger"])
    assert not drawn(client)[0]


def test_free_time_is_drawn_until_the_container_is_back(desk, world, heron):  # noqa: F811
    sailing(world, heron)
    say(world, heron, "CNNGB", "departure", -7, "actual")
    say(world, heron, "NZTRG", "arrival", -6, "actual")
    tells, kinds = drawn(desk)
    assert {"clock free", "clock paid"} <= set(kinds)
    assert any("free until 22 Nov, 2 days paid" in one for one in tells)


def test_queries_do_not_grow(desk, world, heron):  # noqa: F811
    counted = []
    desk.get(reverse("board"))  # the first page of a session notes when it was used
    for count in (2, 12):
        for number in range(count):
            item = "ABC"[number % 3]
            sailing(world, heron, item, with_container_check_digit(f"QXNU{count:02d}{number:04d}"))
        with CaptureQueriesContext(connection) as queries:
            desk.get(reverse("board"))
        counted.append(len(queries))
    assert counted[0] == counted[1] <= 16
    assert Shipment.objects.count() == 14


def test_a_band_outside_of_the_days_is_not_drawn():
    away = (Bar("expected", "sea", TODAY - 99 * DAY, TODAY - 90 * DAY, "x"),)
    marks = (Mark("need", TODAY + 99 * DAY, "x"), Mark("call", TODAY, "<b>"))
    text = board_svg([Band("shipment", "S<1>", "", "t", away, marks, -3, (("B", ()),))], TODAY, 30, TODAY)
    root = etree.fromstring(text)
    kinds = [one.get("class") for one in root.iter("rect", "path", "text")]
    assert "expected sea" not in kinds
    assert "need" not in kinds
    assert {"call", "slip early", "box"} <= set(kinds)
    assert "S<1>" in "".join(root.itertext())
