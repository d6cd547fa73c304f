"""From what the chart reports to what is drawn: words for every vessel and port."""

from collections.abc import Iterable
from datetime import date

from django.urls import reverse

from northing.core.sea.globe import Place, along, begun
from northing.drawings.chart import Frame, Line, PortSeen, Vessel, chart_svg, framed, whole
from northing.drawings.figures import day as say_day
from northing.reports.chart import Chart, PortHeld, Ship, UnderWay, place_of, way_of
from northing.shipping.models import Leg

# How far along its way is looked back and forth for the course.
GLANCE = 0.01


def drawing(found: Chart, land: str, today: date, *, all_of_it: bool) -> str:
    """The chart around what is on it, or all of it."""
    lines = [*_lanes(found), *(line for one in found.under_way for line in _sailed(one, today))]
    vessels = [_vessel(one, today) for one in found.under_way]
    ports = [_port(found.ports[code], today) for code in sorted(found.ports)]
    frame = whole() if all_of_it else _frame(lines, ports)
    return chart_svg(land, frame, lines, vessels, ports)


def _frame(lines: Iterable[Line], ports: Iterable[PortSeen]) -> Frame:
    return framed([*(place for line in lines for place in line.way), *(port.at for port in ports)])


def _lanes(found: Chart) -> Iterable[Line]:
    for mode, a, b in sorted(found.lanes):
        origin, destination = found.ports[a].port, found.ports[b].port
        kind = {Leg.Mode.SEA: "lane-sea", Leg.Mode.AIR: "lane-air"}.get(Leg.Mode(mode), "lane-land")
        yield Line(kind, way_of(mode, origin, destination), f"{origin.name} to {destination.name}")


def _sailed(one: UnderWay, today: date) -> Iterable[Line]:
    """The track behind a vessel; what lies ahead is on its lane."""
    yield Line(
        "sailed", begun(one.way, one.share), f"{one.name}: left {one.origin.name} {say_day(one.start, today.year)}"
    )


def _vessel(one: UnderWay, today: date) -> Vessel:
    behind, ahead = along(one.way, max(one.share - GLANCE, 0)), along(one.way, min(one.share + GLANCE, 1))
    if one.mode == Leg.Mode.AIR:
        behind, ahead = one.way[0], one.way[-1]
    href = reverse("voyage", args=[one.voyage]) if one.voyage else reverse("shipment", args=[one.ships[0].key])
    at: Place = one.at
    return Vessel(at, behind, ahead, one.name, _vessel_says(one, today), href, one.behind > 0, one.mode)


def _vessel_says(one: UnderWay, today: date) -> str:
    said = [f"{one.name}: {one.origin.name} to {one.destination.name}", f"there {say_day(one.end, today.year)}"]
    if one.behind:
        said.append(days_off(one.behind))
    said.append(f"{_boxes(one.boxes)} of {_shipments(one.ships)}")
    return "; ".join(said + _broken(one.ships))


def _port(held: PortHeld, today: date) -> PortSeen:
    ships = [one.ship for one in held.waits]
    broken = _broken(ships)
    said = [
        f"{held.port.name}: {_boxes(held.boxes)} of {_shipments(ships)} wait"
        if ships
        else f"{held.port.name}: nothing waits"
    ]
    said += [f"{one.ship.reference} {one.for_what}" for one in held.waits[:5]]
    if len(held.waits) > 5:
        said.append(f"and {len(held.waits) - 5} more")
    words = "; ".join(said + broken)
    return PortSeen(place_of(held.port), held.port.name, words, f"#at-{held.port.code}", held.boxes, bool(broken))


def _boxes(count: int) -> str:
    return f"{count} container{'' if count == 1 else 's'}"


def _shipments(ships: Iterable[Ship]) -> str:
    names = [ship.reference for ship in ships]
    return names[0] if len(names) == 1 else f"{len(names)} shipments"


def _broken(ships: Iterable[Ship]) -> list[str]:
    lines = sum(ship.broken for ship in ships)
    return [f"{lines} line{'' if lines == 1 else 's'} will miss the need-by day"] if lines else []


def days_off(days: int) -> str:
    """
    >>> days_off(3), days_off(-1)
    ('3 days behind plan', '1 day ahead of plan')
    """
    count = f"{abs(days)} day{'' if abs(days) == 1 else 's'}"
    return f"{count} behind plan" if days > 0 else f"{count} ahead of plan"
