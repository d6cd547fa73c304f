"""The way a vessel takes between two ports: round the capes and through the straits, on great circles between them.

`sea.json` (made by ./northing build from the same land that the chart shows) says where land begins and ends along
parallels, and which of the turning points see each other across water. A lane is the shortest way over those.
It is for looking at and for placing a vessel between two dates, not for steering by.
"""

import json
from bisect import bisect
from collections.abc import Callable, Iterable, Sequence
from functools import cache, lru_cache
from heapq import heappop, heappush
from pathlib import Path
from typing import Any

from northing.core.sea.globe import Place, arc, great_circle
from northing.core.sea.turns import NARROWS, TURNS

DATA = Path(__file__).with_name("sea.json")
# Degrees between two looks at whether there is water.
LOOK = 0.2
# Degrees round a port that are not looked at: harbours lie in rivers and behind breakwaters. The first that frees it.
HARBOUR = (0.3, 0.6, 1.0, 1.6, 2.4, 4.0)

Wet = Callable[[Place], bool]


class Parallels:
    """Where land begins and ends, going east, along parallels that lie `step` degrees apart from `south` on."""

    def __init__(self, south: float, step: float, rows: Sequence[Sequence[float]]) -> None:
        self.south, self.step, self.rows = south, step, rows

    def wet(self, place: Place) -> bool:
        """Whether there is water at a place; beyond the first and the last parallel there is none."""
        row = round((place[0] - self.south) / self.step)
        if not 0 <= row < len(self.rows):
            return False
        return bisect(self.rows[row], place[1]) % 2 == 0


def sees(a: Place, b: Place, wet: Wet, free: float = 0) -> bool:
    """Whether there is water all along the great circle; the first `free` degrees from `a` are not looked at."""

    def clear(step: float) -> bool:
        return all(wet(place) for place in great_circle(a, b, step) if arc(a, place) >= free)

    # A coarse look first: most ways that are closed are closed by much.
    return clear(2.0) and clear(LOOK)


def neighbours(wet: Wet) -> list[list[int]]:
    """For each turning point which later ones it sees or reaches by a narrow."""
    narrows = {frozenset(pair) for pair in NARROWS}
    return [
        [
            number
            for number in range(index + 1, len(TURNS))
            if frozenset((place, TURNS[number])) in narrows or sees(place, TURNS[number], wet)
        ]
        for index, place in enumerate(TURNS)
    ]


@cache
def _sea() -> tuple[Parallels, tuple[tuple[tuple[int, float], ...], ...]]:
    data: dict[str, Any] = json.loads(DATA.read_text())
    links: list[list[tuple[int, float]]] = [[] for _ in TURNS]
    for index, others in enumerate(data["sees"]):
        for other in others:
            length = arc(TURNS[index], TURNS[other])
            links[index].append((other, length))
            links[other].append((index, length))
    return Parallels(data["south"], data["step"], data["rows"]), tuple(map(tuple, links))


@lru_cache(4096)
def sea_lane(a: Place, b: Place) -> tuple[Place, ...]:
    """The turning points of a vessel from port to port, both included; great circles lie between them.

    Where no way by water is found (a port far inland) it is the great circle itself.
    """
    sea, links = _sea()
    harbour = HARBOUR[0]
    if sees(a, b, lambda place: sea.wet(place) or arc(b, place) < harbour, harbour):
        return a, b
    out, home = _roads(a), _roads(b)
    best: dict[int, float] = {}
    came: dict[int, int] = {}
    heap = sorted((length, place, -1) for place, length in out.items())
    while heap:
        length, place, before = heappop(heap)
        if place in best:
            continue
        best[place] = length
        came[place] = before
        if place == len(TURNS):
            return a, *_back(came, before), b
        for other, more in links[place]:
            if other not in best:
                heappush(heap, (length + more, other, place))
        if place in home:
            heappush(heap, (length + home[place], len(TURNS), place))
    return a, b


@lru_cache(1024)
def _roads(port: Place) -> dict[int, float]:
    """The turning points that a port sees, with the degrees to them.

    The first that it sees may lie at the end of a narrow gap only: the next wider look counts as well.
    """
    sea, _ = _sea()
    found: dict[int, float] = {}
    for free in HARBOUR:
        enough = bool(found)
        for number, place in enumerate(TURNS):
            length = arc(port, place)
            if number not in found and (length < free or sees(port, place, sea.wet, free)):
                found[number] = length
        if enough:
            break
    return found


def _back(came: dict[int, int], place: int) -> Iterable[Place]:
    way = []
    while place >= 0:
        way.append(TURNS[place])
        place = came[place]
    return reversed(way)
