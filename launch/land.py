"""The chart's land, made with Node from public-domain outlines: a drawing, and the sea that lanes are found on."""

import json
import subprocess
from itertools import pairwise
from pathlib import Path

from launch.places import ROOT
from launch.say import Stop
from northing.core.sea.waters import DATA, Parallels, neighbours
from northing.drawings.chart import MIDDLE, NORTH, SOUTH, on_sheet

Ring = list[tuple[float, float]]
# Of what the chart shows: degrees that an outline may be off, and below which (square) an island is left out.
OFF, SMALLEST = 0.06, 0.02
# The parallels on which the sea is looked at: from where to where, and degrees apart.
SOUTHERNMOST, NORTHERNMOST, STEP = -78.0, 83.0, 0.25


def make_land(drawing: Path) -> None:
    """Write the drawing and the sea."""
    rings = _rings()
    drawing.write_text(_drawn(rings))
    sea = _sea(rings)
    seen = neighbours(sea.wet)
    said = {"south": sea.south, "step": sea.step, "rows": sea.rows, "sees": seen}
    DATA.write_text(json.dumps(said, separators=(",", ":")).replace("],[", "],\n[") + "\n")


def _rings() -> list[Ring]:
    """East (from the chart's middle) and north in degrees."""
    told = subprocess.run(
        ["npm", "run", "--silent", "land", "--", str(MIDDLE), "50m"], cwd=ROOT, capture_output=True, text=True
    )
    if told.returncode:
        raise Stop(f"the land could not be made: {told.stderr.strip()}")
    return [[(east, north) for east, north in ring] for ring in json.loads(told.stdout)]


def _drawn(rings: list[Ring]) -> str:
    ways = []
    for ring in rings:
        easts, norths = [point[0] for point in ring], [point[1] for point in ring]
        if min(norths) > NORTH or max(norths) < SOUTH:
            continue
        if (max(easts) - min(easts)) * (max(norths) - min(norths)) < SMALLEST:
            continue
        places = [on_sheet(east, north) for east, north in _simpler(ring)]
        ways.append("M" + "L".join(f"{x:.2f} {y:.2f}" for x, y in places) + "Z")
    path = "".join(ways)
    drawn = f'<path id="land" vector-effect="non-scaling-stroke" d="{path}"/>'
    return f'<svg xmlns="http://www.w3.org/2000/svg">{drawn}</svg>\n'


def _simpler(ring: Ring) -> Ring:
    """The ring with the points left out that lie hardly beside the line of their neighbours (Douglas and Peucker)."""
    keep = {0, len(ring) - 1}
    # A ring ends where it began: its farthest point parts it into two lines.
    far = max(range(len(ring)), key=lambda at: abs(ring[at][0] - ring[0][0]) + abs(ring[at][1] - ring[0][1]))
    todo = [(0, far), (far, len(ring) - 1)]
    keep.add(far)
    while todo:
        first, last = todo.pop()
        if last - first < 2:
            continue
        off, at = max((_beside(ring[at], ring[first], ring[last]), at) for at in range(first + 1, last))
        if off > OFF:
            keep.add(at)
            todo += [(first, at), (at, last)]
    return [ring[at] for at in sorted(keep)]


def _beside(point: tuple[float, float], a: tuple[float, float], b: tuple[float, float]) -> float:
    (x, y), (x1, y1), (x2, y2) = point, a, b
    dx, dy = x2 - x1, y2 - y1
    length = dx * dx + dy * dy
    share = min(max(((x - x1) * dx + (y - y1) * dy) / length, 0), 1) if length else 0
    return float(((x - x1 - share * dx) ** 2 + (y - y1 - share * dy) ** 2) ** 0.5)


def _sea(rings: list[Ring]) -> Parallels:
    south, count = SOUTHERNMOST, round((NORTHERNMOST - SOUTHERNMOST) / STEP) + 1
    rows: list[list[float]] = [[] for _ in range(count)]
    for ring in rings:
        for (east, north), (east2, north2) in pairwise([*ring, ring[0]]):
            low, high = sorted((north, north2))
            # A hair off the round degrees, on which the cut edges of the outlines lie.
            first = max(int((low - south) / STEP), 0)
            for row in range(first, min(int((high - south) / STEP) + 2, count)):
                at = south + row * STEP + 0.003
                if low <= at < high:
                    crossing = east + (at - north) / (north2 - north) * (east2 - east) + MIDDLE
                    rows[row].append(crossing)
    return Parallels(south, STEP, [_row(row) for row in rows])


def _row(crossings: list[float]) -> list[float]:
    """Crossings from the chart's western edge on, turned to begin at 180 degrees west."""
    ordered = sorted(crossings)
    turned = sorted((crossing + 180) % 360 - 180 for crossing in ordered)
    # At 180 degrees there is land where an odd number of crossings lies west of it: the row then begins on land.
    inside = sum(crossing <= 180 for crossing in ordered) % 2
    return [round(one, 2) for one in ([-180.0, *turned] if inside else turned)]
