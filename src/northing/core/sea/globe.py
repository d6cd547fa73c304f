"""Distances and ways on the globe, which is a ball here: good to half a percent, which a chart does not show."""

from collections.abc import Iterable, Iterator, Sequence
from itertools import pairwise
from math import asin, atan2, ceil, cos, degrees, radians, sin, sqrt

# North and east in degrees; east is from -180 to 180.
Place = tuple[float, float]
MILES_A_DEGREE = 60


def arc(a: Place, b: Place) -> float:
    """Degrees of the great circle between two places.

    >>> round(arc((0, 0), (0, 90)), 6)
    90.0
    >>> round(arc((-37.66, 176.18), (-37.66, -176.18)), 2)
    6.05
    """
    north, south = radians(a[0]), radians(b[0])
    across = radians(b[1] - a[1]) / 2
    half = sin((south - north) / 2) ** 2 + cos(north) * cos(south) * sin(across) ** 2
    return degrees(2 * asin(min(sqrt(half), 1)))


def miles(way: Sequence[Place]) -> int:
    """Nautical miles along a way, whole.

    >>> miles([(0, 0), (1, 0), (1, 0)])
    60
    """
    return round(sum(arc(a, b) for a, b in pairwise(way)) * MILES_A_DEGREE)


def between(a: Place, b: Place, share: float) -> Place:
    """The place that lies the share (0 to 1) of the great circle from `a` to `b`.

    >>> [round(x, 6) for x in between((0, 170), (0, -170), 0.5)]
    [0.0, 180.0]
    """
    return next(_at(a, b, [share]))


def _at(a: Place, b: Place, shares: Iterable[float]) -> Iterator[Place]:
    whole = radians(arc(a, b))
    if whole < 1e-9:
        yield from (a for _ in shares)
        return
    (x1, y1, z1), (x2, y2, z2) = _vector(a), _vector(b)
    for share in shares:
        first, last = sin((1 - share) * whole) / sin(whole), sin(share * whole) / sin(whole)
        x, y, z = first * x1 + last * x2, first * y1 + last * y2, first * z1 + last * z2
        yield degrees(atan2(z, sqrt(x * x + y * y))), degrees(atan2(y, x))


def _vector(place: Place) -> tuple[float, float, float]:
    north, east = radians(place[0]), radians(place[1])
    return cos(north) * cos(east), cos(north) * sin(east), sin(north)


def great_circle(a: Place, b: Place, step: float) -> Iterator[Place]:
    """Places on the way from `a` to `b`, both included, at most `step` degrees apart."""
    parts = max(ceil(arc(a, b) / step), 1)
    yield from _at(a, b, (part / parts for part in range(parts)))
    yield b


def begun(way: Sequence[Place], share: float) -> list[Place]:
    """The share (0 to 1) of a way from its first place on: the places it passes, and the one where it ends.

    >>> [round(east) for _, east in begun([(0, 0), (0, 10), (0, 40)], 0.5)]
    [0, 10, 20]
    """
    lengths = [arc(a, b) for a, b in pairwise(way)]
    if share <= 0:
        return [way[0]]
    left, passed = min(share, 1) * sum(lengths), [way[0]]
    for (a, b), length in zip(pairwise(way), lengths, strict=True):
        if left < length:
            return [*passed, between(a, b, left / length)]
        left -= length
        passed.append(b)
    return passed


def along(way: Sequence[Place], share: float) -> Place:
    """The place that lies the share (0 to 1) of a way from its first place on.

    >>> along([(0, 0), (0, 10), (0, 40)], 0.5)[1]
    20.0
    """
    return begun(way, share)[-1]
