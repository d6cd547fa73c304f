"""Lanes go by water, by the straits they should, and the same way there and back."""

from itertools import combinations, pairwise

import pytest

from northing.core.sea.globe import along, arc, great_circle, miles
from northing.core.sea.turns import NARROWS, TURNS
from northing.core.sea.waters import _sea, neighbours, sea_lane, sees

PORTS = {
    "Shimizu": (35.01, 138.5), "Ningbo": (29.93, 121.85), "Ho Chi Minh City": (10.77, 106.72),
    "Leixoes": (41.18, -8.7), "Colombo": (6.95, 79.85), "Singapore": (1.26, 103.83), "Tauranga": (-37.66, 176.18),
    "Melbourne": (-37.83, 144.92), "Rotterdam": (51.95, 4.14), "New York": (40.67, -74.05), "Durban": (-29.87, 31.02),
    "Santos": (-23.95, -46.3), "Jebel Ali": (25.0, 55.05), "Piraeus": (37.95, 23.62), "Helsinki": (60.15, 24.95),
    "Los Angeles": (33.73, -118.26), "Lyttelton": (-43.6, 172.72), "Fremantle": (-32.05, 115.74),
}  # fmt: skip
SUEZ, PANAMA, TORRES, GIBRALTAR, MALACCA = (29.8, 32.55), (9.6, -79.9), (-10.5, 142.3), (35.95, -5.5), (2.4, 101.6)


@pytest.mark.parametrize(("a", "b"), list(combinations(PORTS, 2)))
def test_by_water_all_the_way(a, b):
    """Seen every quarter of a degree, but for harbours and the canals and narrows that the outline closes."""
    sea, _ = _sea()
    way = sea_lane(PORTS[a], PORTS[b])
    assert (way[0], way[-1]) == (PORTS[a], PORTS[b])
    closed = {frozenset(pair) for pair in NARROWS}
    for here, there in pairwise(way):
        if frozenset((here, there)) not in closed:
            places = great_circle(here, there, 0.25)
            dry = [
                place for place in places if not sea.wet(place) and min(arc(place, way[0]), arc(place, way[-1])) > 2.5
            ]
            # The outline was looked at a little less closely than here: a skerry may lie between two looks.
            assert len(dry) <= 1, (here, there, dry)


@pytest.mark.parametrize(
    ("a", "b", "through", "nautical_miles"),
    [
        # Miles as such passages are known to have, roughly.
        ("Rotterdam", "Ningbo", {SUEZ, GIBRALTAR, MALACCA}, 10_450),
        ("New York", "Ningbo", {PANAMA}, 10_650),
        ("Leixoes", "Tauranga", {PANAMA}, 10_700),
        ("Singapore", "Tauranga", {TORRES}, 5_000),
        ("Ningbo", "Los Angeles", set(), 5_800),
        ("Colombo", "Melbourne", set(), 4_650),
        ("Piraeus", "Jebel Ali", {SUEZ}, 3_420),
    ],
)
def test_known_passages(a, b, through, nautical_miles):
    way = sea_lane(PORTS[a], PORTS[b])
    assert through <= set(way)
    assert abs(miles(way) - nautical_miles) < nautical_miles * 0.06


@pytest.mark.parametrize(("a", "b"), [("Ningbo", "Tauranga"), ("Santos", "Singapore"), ("Durban", "New York")])
def test_the_same_way_back(a, b):
    assert sea_lane(PORTS[a], PORTS[b]) == sea_lane(PORTS[b], PORTS[a])[::-1]


def test_every_turning_point_is_on_the_water_and_reached():
    sea, links = _sea()
    assert [place for place in TURNS if not sea.wet(place)] == []
    reached, todo = set(), [0]
    while todo:
        place = todo.pop()
        if place not in reached:
            reached.add(place)
            todo += [other for other, _ in links[place]]
    assert len(reached) == len(TURNS)


def test_what_ships_is_what_the_land_says(monkeypatch):
    """Some turning points are looked at anew; that all are what the land makes is held by the digest of the build."""
    sea, links = _sea()
    for index in range(0, len(TURNS), 7):
        place = TURNS[index]
        seen = {other for other, _ in links[index]}
        for number in seen:
            narrow = any({place, TURNS[number]} == set(pair) for pair in NARROWS)
            a, b = sorted((index, number))
            assert narrow or sees(TURNS[a], TURNS[b], sea.wet), (place, TURNS[number])
    monkeypatch.setattr("northing.core.sea.waters.TURNS", TURNS[:40])
    assert len(neighbours(lambda _: True)[0]) == 39, "where all is water, each sees all the others"


def test_a_port_that_no_vessel_reaches_has_the_great_circle():
    inland = (45.0, 90.0), (43.0, 100.0)
    assert sea_lane(*inland) == inland
    assert sea_lane(PORTS["Ningbo"], PORTS["Ningbo"]) == (PORTS["Ningbo"],) * 2


def test_half_of_the_way_is_half_of_its_miles():
    way = sea_lane(PORTS["Ningbo"], PORTS["Tauranga"])
    middle = along(way, 0.5)
    passed = 0.0
    for a, b in pairwise(way):
        if abs(arc(a, middle) + arc(middle, b) - arc(a, b)) < 1e-6:
            passed += arc(a, middle)
            break
        passed += arc(a, b)
    assert abs(passed * 60 - miles(way) / 2) < 1
    assert (along(way, 0), along(way, 1), along(way, 7)) == (way[0], way[-1], way[-1])
