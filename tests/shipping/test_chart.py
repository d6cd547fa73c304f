"""The chart: where things are by now, what waits in which port, what it says of them, how many queries that takes."""

import time

import pytest
from django.db import connection
from django.test.utils import CaptureQueriesContext
from django.urls import reverse
from lxml import etree

from northing.actions.shipping import container_milestones, milestones, pack
from northing.core.sea.globe import along, arc
from northing.core.sea.waters import sea_lane
from northing.drawings.arrival import arrival
from northing.drawings.chart import PortSeen, Vessel, chart_svg, framed, project, radius, whole
from northing.formats.identifiers import with_container_check_digit
from northing.masterdata.models import Port
from northing.reports.chart import chart
from northing.shipping.models import Leg, Shipment
from northing.shipping.operations import LegPlan
from tests.shipping.test_board import desk  # noqa: F401
from tests.shipping.test_reroute import DAY, do, heron, sailing, say, tern  # noqa: F401
from tests.worlds import CONTAINERS, TODAY, D

NINGBO, TAURANGA, MELBOURNE = (29.93, 121.85), (-37.66, 176.18), (-37.83, 144.92)


def found(world):
    return chart(Shipment.objects.all(), {world.nz.pk, world.au.pk}, TODAY)


def said_of_leg(world, shipment, number, milestone, days):
    leg = Leg.objects.get(shipment=shipment, number=number)
    do(world, milestones.say_date, milestones.DateRequest(leg.pk, milestone, "actual", TODAY + days * DAY))


def test_a_vessel_is_where_it_should_be_by_now(world, heron):  # noqa: F811
    """Left seven days ago, 17 days to its next call at its pace: 7.5 of 18 days are over by noon."""
    shipment = sailing(world, heron)
    say(world, heron, "CNNGB", "departure", -7, "actual")
    (vessel,) = found(world).under_way
    assert (vessel.name, vessel.origin.code, vessel.destination.code) == ("Heron 1S", "CNNGB", "AUMEL")
    assert (vessel.start, vessel.end) == (TODAY - 7 * DAY, TODAY + 10 * DAY)
    assert vessel.share == pytest.approx(7.5 / 18)
    assert vessel.miles == round(5_269 * 10.5 / 18)
    assert vessel.at == along(sea_lane(NINGBO, MELBOURNE), 7.5 / 18)
    assert [(one.key, one.boxes) for one in vessel.ships] == [(shipment.pk, 1)]
    # An estimate moves it back; it has only eaten less of its way.
    say(world, heron, "AUMEL", "arrival", 25)
    (later,) = found(world).under_way
    assert later.behind == 5
    assert arc(later.at, NINGBO) < arc(vessel.at, NINGBO)
    # In Melbourne it lies still, whatever the day it is to leave; then it sails on from there.
    say(world, heron, "AUMEL", "arrival", 0, "actual")
    (berthed,) = found(world).under_way
    assert (berthed.at, berthed.destination.code) == (MELBOURNE, "NZTRG")
    say(world, heron, "AUMEL", "departure", 0, "actual")
    (on,) = found(world).under_way
    assert 0 < arc(on.at, MELBOURNE) < 3


def test_shipments_of_one_voyage_are_one_vessel(world, heron):  # noqa: F811
    two = [sailing(world, heron), sailing(world, heron, "B", CONTAINERS[1])]
    say(world, heron, "CNNGB", "departure", -1, "actual")
    (vessel,) = found(world).under_way
    assert (vessel.boxes, {one.key for one in vessel.ships}) == (2, {one.pk for one in two})


def test_what_waits_and_for_what(world, heron):  # noqa: F811
    shipment = sailing(world, heron)
    drawn = found(world)
    # Not fetched yet: not on the chart, but its lane is.
    assert [one.key for one in drawn.inland] == [shipment.pk]
    assert drawn.lanes == {("sea", "CNNGB", "NZTRG")}
    assert [held.waits for held in drawn.ports.values()] == [[], []]
    said_of_leg(world, shipment, 1, "departure", -2)
    assert [one.key for one in found(world).inland] == [shipment.pk]
    said_of_leg(world, shipment, 1, "arrival", -1)
    (wait,) = found(world).ports["CNNGB"].waits
    assert (wait.ship.key, wait.for_what, wait.since) == (shipment.pk, "for its vessel", TODAY - DAY)
    say(world, heron, "CNNGB", "departure", 0, "actual")
    say(world, heron, "NZTRG", "arrival", 0, "actual")
    (wait,) = found(world).ports["NZTRG"].waits
    assert (wait.for_what, wait.since) == ("for the road", TODAY)
    assert found(world).under_way == []
    # A part of it is received: the container is at the dock, and waits in no port.
    world.receive(shipment, {"A": D(40)})
    assert (found(world).ports, [one.key for one in found(world).inland]) == ({}, [shipment.pk])


def test_what_was_taken_out_of_the_port_waits_there_no_more(world, heron):  # noqa: F811
    shipment = sailing(world, heron)
    say(world, heron, "CNNGB", "departure", 0, "actual")
    say(world, heron, "NZTRG", "arrival", 0, "actual")
    assert found(world).ports["NZTRG"].boxes == 1
    box = shipment.containers.get().pk
    do(world, container_milestones.say_boxes, container_milestones.BoxesRequest(shipment.pk, (box,), "gate_out", TODAY))
    assert (found(world).ports, len(found(world).inland)) == ({}, 1)


def test_what_has_no_voyage_goes_by_its_legs(world):
    """By air: on the great circle, by itself."""
    shipment = world.shipment([world.sent_order({"A": D(10)})])
    plans = (LegPlan("air", "CNNGB", "NZTRG", TODAY, TODAY + DAY, True),)
    do(world, pack.plan_passage, pack.PassageRequest(shipment.pk, None, plans))
    said_of_leg(world, shipment, 1, "departure", 0)
    (flight,) = found(world).under_way
    assert (flight.mode, flight.voyage, flight.name) == ("air", None, shipment.reference)
    assert (flight.way, flight.share) == ((NINGBO, TAURANGA), 0.25)


def elements(desk, query=""):  # noqa: F811
    page = desk.get(reverse("chart") + query)
    assert page.status_code == 200
    text = page.content.decode()
    first = text.index('<svg class="chart"')
    root = etree.fromstring(text[first : text.index("</svg>", first) + 6])
    return text, {link.get("data-tells"): link.get("href") for link in root.iter("a")}


def test_the_page_tells_of_vessels_and_ports(desk, world, heron):  # noqa: F811
    shipment = sailing(world, heron)
    say(world, heron, "CNNGB", "departure", -1, "actual")
    say(world, heron, "AUMEL", "arrival", 95)
    text, links = elements(desk)
    told = (
        f"Heron 1S: CNNGB to AUMEL; there 27 Feb 2027; 75 days behind plan; 1 container of {shipment.reference}; "
        "1 line will miss the need-by day"
    )
    assert links[told] == f"/shipping/voyages/{heron}/"
    assert links["NZTRG: nothing waits"] == "#at-NZTRG"
    assert "<b>1</b> container under way, <b>0</b> in port" in text
    assert elements(desk, "?where=of A")[1].keys() == links.keys()
    assert elements(desk, "?where=of B")[1] == {}
    text, links = elements(desk, "?all=1&where=%00nonsense")
    assert "the whole chart" in text


def test_the_other_company_sees_its_own(desk, world, client, heron):  # noqa: F811
    sailing(world, heron)
    say(world, heron, "CNNGB", "departure", -1, "actual")
    client.force_login(world.people["stranger"])
    text, links = elements(client)
    assert links == {}
    assert "No vessel has goods of these lines aboard" in text


def test_a_port_that_lies_nowhere_is_told_and_not_drawn(desk, world, heron):  # noqa: F811
    Port.objects.filter(pk="AUMEL").update(latitude=None)
    sailing(world, heron)
    say(world, heron, "CNNGB", "departure", -1, "actual")
    text, links = elements(desk)
    assert "No one has said where these ports lie, so that they are not drawn: AUMEL" in text
    assert not any("Heron" in one for one in links)
    assert "Not on the chart" in text


def test_queries_do_not_grow(desk, world, heron):  # noqa: F811
    boxes = [with_container_check_digit(f"QXNU{number:06d}") for number in range(14)]
    some = [sailing(world, heron, "ABC"[number % 3], box).pk for number, box in enumerate(boxes)]
    say(world, heron, "CNNGB", "departure", -1, "actual")
    counted = []
    for count in (2, 14):
        with CaptureQueriesContext(connection) as queries:
            drawn = chart(Shipment.objects.filter(pk__in=some[:count]), {world.nz.pk}, TODAY)
        assert len(drawn.under_way[0].ships) == count
        counted.append(len(queries))
    assert counted[0] == counted[1] <= 10
    with CaptureQueriesContext(connection) as queries:
        desk.get(reverse("chart"))
    assert len(queries) <= 16


def test_thousands_of_vessels_are_drawn_in_time():
    """2,000 that go each by itself; the first of them have their names."""
    places = [(north / 10 - 40.0, east * 2.0) for north in range(40) for east in range(50)]
    vessels = [Vessel(at, at, at, f"S-{number:05d}", "x", "/x/") for number, at in enumerate(places)]
    started = time.perf_counter()
    root = etree.fromstring(chart_svg("/land.svg", whole(), [], vessels, []))
    assert time.perf_counter() - started < 3
    assert len(list(root.iter("a"))) == 2_000
    assert sum(one.get("class") == "word" for one in root.iter("text")) <= 150


def test_a_frame_goes_round_what_it_shows():
    frame = framed([NINGBO, TAURANGA])
    for place in (NINGBO, TAURANGA):
        x, y = project(place)
        assert frame.x < x < frame.x + frame.wide
        assert frame.y < y < frame.y + frame.high
    assert framed([]) == framed([(0, -31), (0, -29)]) == whole()
    # Nothing beyond the chart is seen, and what goes over its cut shows all of it.
    edge = whole()
    for places in ([(73.0, 150.0)], [(-57.0, -31.0)], [(60.0, -29.0), (50.0, 20.0)]):
        frame = framed(places)
        assert edge.x <= frame.x <= frame.x + frame.wide <= edge.x + edge.wide + 0.01
        assert edge.y <= frame.y <= frame.y + frame.high <= edge.y + edge.high + 0.01
    assert framed([(41.2, -8.7), (40.7, -74.0)]) == edge
    # One place alone is not looked at through a microscope.
    assert framed([TAURANGA]).wide >= 100
    assert radius(10_000) <= 26


def test_names_do_not_lie_on_each_other_and_are_escaped():
    ports = [PortSeen((-37.0, 176.0 + one / 100), f"<Port {one}>", f"<b> {one}", "#x", 5) for one in range(12)]
    vessels = [Vessel(TAURANGA, TAURANGA, TAURANGA, "still", "still", "/x/")]
    root = etree.fromstring(chart_svg("/land.svg", framed([TAURANGA]), [], vessels, ports))
    words = ["".join(one.itertext()) for one in root.iter("text") if one.get("class") == "word"]
    assert 0 < len(words) < 6
    assert set(words) <= {"still", *(port.label for port in ports)}
    assert len(list(root.iter("a"))) == 13


SPREAD = {-1: 0.1, 0: 0.4, 2: 0.3, 9: 0.15, 40: 0.05}


@pytest.mark.parametrize(("need", "missed"), [(None, 0), (40, 0), (3, 2), (-2, 5), (200, 0), (-200, 5)])
def test_a_range_is_drawn_day_by_day(need, missed):
    """Each day that comes late is red; the need-by day stands where it is, near or far."""
    needed = None if need is None else TODAY + need * DAY
    root = etree.fromstring(arrival(SPREAD, TODAY, TODAY, TODAY + 9 * DAY, needed, TODAY.year))
    kinds = [one.get("class") for one in root.iter("rect")]
    assert len(kinds) == 5, "the days are drawn, however far the need-by day is"
    assert sum("missed" in kind for kind in kinds) == missed
    assert all(0 <= float(one.get("x")) <= 300 for one in root.iter("rect"))
    if need in (None, 40):
        assert [kind.split()[0] for kind in kinds] == ["sure", "sure", "safe", "safe", "tail"]
    assert ("needed by" in root.get("aria-label")) == (need is not None)
    assert [one.text for one in root.iter("text")][0] == "24 Nov"
