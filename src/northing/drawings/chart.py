"""The chart as SVG: land and sea, lanes on great circles, vessels where they are by now, ports as large as what waits.

The land is a file of its own (made by ./northing build), so that a browser keeps it. Symbols and words are drawn in
the chart's own small unit and scaled with the frame: they stay as large as they are when one goes nearer.
"""

from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass
from html import escape
from itertools import pairwise
from math import atan2, degrees, log, pi, radians, sqrt, tan

from northing.core.sea.globe import Place, great_circle

# The meridian in the middle (the cut runs through the Atlantic), and the parallels the chart ends with.
MIDDLE, NORTH, SOUTH = 150, 74, -58
UNIT = 4.0
WIDE, HIGH = 1_200, 590
# How near a frame comes by itself, what is left around what it shows, and from where on it shows all; degrees across.
NEAREST, AROUND, MOST_ACROSS = 36.0, 0.09, 280.0
LETTER, LINE = 6.6, 14.0
# As many names as there is room for anyway; to look for room for thousands would take seconds.
MOST_WORDS = 150


def project(place: Place) -> tuple[float, float]:
    """Across and down on the chart (after Miller: straight meridians, poles not too far off).

    >>> [round(one, 1) for one in project((0, 150))], [round(one, 1) for one in project((0, -31))]
    ([0.0, 0.0], [716.0, 0.0])
    """
    return on_sheet((place[1] - MIDDLE + 180) % 360 - 180, place[0])


def on_sheet(east: float, north: float) -> tuple[float, float]:
    """Across and down for degrees east of the chart's middle (-180 and 180 are its two edges) and north."""
    return east * UNIT, -1.25 * degrees(log(tan(pi / 4 + 0.4 * radians(north)))) * UNIT


@dataclass(frozen=True)
class Line:
    """A way that is drawn: sailed, or a lane by sea, air or land; by its turning points, and what it says."""

    kind: str
    way: Sequence[Place]
    says: str = ""


@dataclass(frozen=True)
class Vessel:
    """A vessel or vehicle under way: where it is, its last place and its next, and its name."""

    at: Place
    behind: Place
    ahead: Place
    label: str
    tells: str
    href: str
    late: bool = False
    mode: str = "sea"


@dataclass(frozen=True)
class PortSeen:
    """A port, by how many containers wait there; `late` of them make it stand out."""

    at: Place
    label: str
    tells: str
    href: str
    count: int = 0
    late: bool = False


@dataclass(frozen=True)
class Frame:
    """The visible part of the chart: its corner, its width and height."""

    x: float
    y: float
    wide: float
    high: float

    @property
    def scale(self) -> float:
        """How large the symbols' unit is."""
        return self.wide / WIDE


def whole() -> Frame:
    """All of the chart."""
    top, foot = project((NORTH, MIDDLE))[1], project((SOUTH, MIDDLE))[1]
    return Frame(-180 * UNIT, top, 360 * UNIT, foot - top)


def framed(places: Iterable[Place]) -> Frame:
    """A frame around places, as wide to as high as the sheet; the whole chart where there are none."""
    points = [project(place) for place in places]
    if not points:
        return whole()
    left, right = min(x for x, _ in points), max(x for x, _ in points)
    top, foot = min(y for _, y in points), max(y for _, y in points)
    wide = max((right - left) * (1 + 2 * AROUND), NEAREST * UNIT, (foot - top) * (1 + 2 * AROUND) * WIDE / HIGH)
    # What lies so far apart goes over the cut, or nearly: then all of the chart is seen.
    if wide >= MOST_ACROSS * UNIT:
        return whole()
    edge, high = whole(), wide * HIGH / WIDE
    x = min(max((left + right - wide) / 2, edge.x), edge.x + edge.wide - wide)
    y = min(max((top + foot - high) / 2, edge.y), edge.y + edge.high - high)
    return Frame(x, y, wide, high)


def chart_svg(
    land: str, frame: Frame, lines: Iterable[Line], vessels: Sequence[Vessel], ports: Sequence[PortSeen]
) -> str:
    """The chart; `land` is the address of the land's file. Vessels and ports are links."""
    words = _words(frame, vessels, ports)
    k = frame.scale
    things = [
        *(_port(one, k, words.get(("port", number))) for number, one in enumerate(ports)),
        *(_vessel(one, k, words.get(("vessel", number))) for number, one in enumerate(vessels)),
    ]
    return (
        f'<svg class="chart" viewBox="{frame.x:.2f} {frame.y:.2f} {frame.wide:.2f} {frame.high:.2f}" '
        f'data-sheet="{WIDE}" role="group" aria-label="Chart">{_net(frame)}'
        f'<use class="land" href="{escape(land)}#land"/>'
        f"{''.join(_line(line) for line in lines)}{''.join(things)}</svg>"
    )


def _net(frame: Frame) -> str:
    """Meridians and parallels of every tenth degree, as far as the chart goes, named along the frame's edge."""
    lines, names = [], []
    edge = whole()
    k, step = frame.scale, 10 if frame.wide < 200 * UNIT else 20
    for east in range(-180, 180, step):
        x = project((0, east))[0]
        lines.append(f"M{x:.1f} {edge.y:.1f}v{edge.high:.1f}")
        names.append(_edge("east", x, frame.y + frame.high, k, f"{abs(east)}°{_side(east, 'E', 'W')}", (3, -4)))
    for north in range(-50, 71, step):
        y = project((north, MIDDLE))[1]
        lines.append(f"M{edge.x:.1f} {y:.1f}h{edge.wide:.1f}")
        names.append(_edge("north", frame.x, y, k, f"{abs(north)}°{_side(north, 'N', 'S')}", (4, -3)))
    return f'<path class="net" d="{"".join(lines)}"/>{"".join(names)}'


def _side(value: int, above: str, below: str) -> str:
    return above if value > 0 else below if value < 0 else ""


def _edge(of: str, x: float, y: float, k: float, text: str, off: tuple[int, int]) -> str:
    return (
        f'<g class="edge" data-of="{of}" transform="translate({x:.1f} {y:.1f})"><text class="own" '
        f'transform="scale({k:.4f})" x="{off[0]}" y="{off[1]}">{text}</text></g>'
    )


def _line(line: Line) -> str:
    says = f"<title>{escape(line.says)}</title>" if line.says else ""
    return f'<path class="lane {line.kind}" d="{_drawn(line.way)}">{says}</path>'


def _drawn(way: Sequence[Place]) -> str:
    """A way as a path: great circles between its places, parted where it leaves the chart on one side."""
    parts: list[str] = []
    before: tuple[float, float] | None = None
    for x, y in map(project, _fine(way)):
        broken = before is None or abs(x - before[0]) > 180 * UNIT
        parts.append(f"{'M' if broken else 'L'}{x:.1f} {y:.1f}")
        before = (x, y)
    return "".join(parts)


def _fine(way: Sequence[Place]) -> Iterator[Place]:
    yield way[0]
    for a, b in pairwise(way):
        yield from list(great_circle(a, b, 2.0))[1:]


def radius(count: int) -> float:
    """How large a port is drawn, its area by what waits there.

    >>> radius(0), round(radius(4) / radius(1), 1) < 2
    (2.5, True)
    """
    return min(3 + 2.2 * sqrt(count), 26) if count else 2.5


def _port(port: PortSeen, k: float, word: str | None) -> str:
    r = radius(port.count)
    kind = "port late" if port.late else "port"
    count = f'<text class="count" y="3.6" text-anchor="middle">{port.count}</text>' if port.count > 3 else ""
    drawn = f'<circle class="{kind}{"" if port.count else " bare"}" r="{r:.1f}"/>{count}'
    return _thing(port.at, k, port.href, port.tells, drawn + (word or ""))


def _vessel(vessel: Vessel, k: float, word: str | None) -> str:
    (x, y), (x2, y2) = project(vessel.behind), project(vessel.ahead)
    course = degrees(atan2(y2 - y, x2 - x))
    hull = "M9 0L3 -3.6H-7V3.6H3Z" if vessel.mode == "sea" else "M8 0L-6 -5L-3 0L-6 5Z"
    kind = "vessel late" if vessel.late else "vessel"
    drawn = f'<path class="{kind}" transform="rotate({course:.0f})" d="{hull}"/>'
    return _thing(vessel.at, k, vessel.href, vessel.tells, drawn + (word or ""))


def _thing(at: Place, k: float, href: str, tells: str, drawn: str) -> str:
    x, y = project(at)
    said = escape(tells)
    return (
        f'<a href="{escape(href)}" data-tells="{said}" aria-label="{said}" transform="translate({x:.2f} {y:.2f})">'
        f'<g class="own" transform="scale({k:.4f})">{drawn}</g></a>'
    )


Box = tuple[float, float, float, float]


def _words(frame: Frame, vessels: Sequence[Vessel], ports: Sequence[PortSeen]) -> dict[tuple[str, int], str]:
    """A name for each thing where there is room for it: right of it, left of it, above or below it.

    Marks without room for their name show it when pointed at.
    """
    things = [(("port", number), one.at, one.label, radius(one.count)) for number, one in enumerate(ports)]
    things += [(("vessel", number), one.at, one.label, 8.0) for number, one in enumerate(vessels)]
    spots = []
    for key, at, label, r in things:
        x, y = project(at)
        spots.append((key, x / frame.scale, y / frame.scale, label, r))
    taken: list[Box] = [(x - r, y - r, x + r, y + r) for _, x, y, _, r in spots]
    found = {}
    edge = (
        frame.x / frame.scale,
        frame.y / frame.scale,
        (frame.x + frame.wide) / frame.scale,
        (frame.y + frame.high) / frame.scale,
    )
    for key, x, y, label, r in spots[:MOST_WORDS]:
        wide = len(label) * LETTER
        for dx, dy, anchor in ((r + 3, 4, "start"), (-r - 3, 4, "end"), (0, -r - 4, "middle"), (0, r + 12, "middle")):
            left = x + dx - {"start": 0.0, "end": wide, "middle": wide / 2}[anchor]
            box = (left, y + dy - LINE + 2, left + wide, y + dy + 2)
            if _inside(box, edge) and not any(_meet(box, other) for other in taken):
                taken.append(box)
                found[key] = (
                    f'<text class="word" x="{dx:.1f}" y="{dy:.1f}" text-anchor="{anchor}">{escape(label)}</text>'
                )
                break
    return found


def _inside(box: Box, edge: Box) -> bool:
    return box[0] >= edge[0] and box[1] >= edge[1] and box[2] <= edge[2] and box[3] <= edge[3]


def _meet(a: Box, b: Box) -> bool:
    return a[0] < b[2] and b[0] < a[2] and a[1] < b[3] and b[1] < a[3]
