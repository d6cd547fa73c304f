"""What was found in a sample: units by their worst defect, and where its units are taken from."""

from collections import Counter
from collections.abc import Iterable, Sequence
from dataclasses import dataclass

from northing.core.money.spread import spread

# The classes of non-conformity, the gravest first (ISO 2859-1, 3.1.7).
CLASSES = ("critical", "major", "minor")


@dataclass(frozen=True, slots=True)
class Found:
    """Units that are not right, each counted once by its worst defect."""

    critical: int = 0
    major: int = 0
    minor: int = 0

    @property
    def units(self) -> int:
        """All of them."""
        return self.critical + self.major + self.minor


def counted(defects: Iterable[tuple[str, int]], measured: Iterable[tuple[int, str]]) -> Found:
    """Return the units that are not right: those with a defect (class, units), and those that measured wrong.

    A measured unit (its number, class) counts once, by the gravest of its wrong measures; a defect's units are others.

    >>> counted([("minor", 2)], [(1, "minor"), (1, "major"), (4, "critical")])
    Found(critical=1, major=1, minor=2)
    """
    units: Counter[str] = Counter()
    for name, number in defects:
        units[name] += number
    worst: dict[int, str] = {}
    for number, name in measured:
        if number not in worst or CLASSES.index(name) < CLASSES.index(worst[number]):
            worst[number] = name
    units.update(worst.values())
    return Found(**{name: units[name] for name in CLASSES})


def sample_from(sample: int, places: Sequence[int]) -> list[int]:
    """Return how many units are taken from each place, by how many lie there; every place gives one where it can.

    Places are bins or pallets with whole numbers of units. No more are taken than there are.

    >>> sample_from(8, [60, 30, 10])
    [4, 3, 1]
    >>> sample_from(3, [500, 1, 1])
    [1, 1, 1]
    >>> sample_from(5, [2, 1])
    [2, 1]
    """
    sample = min(sample, sum(places))
    first = [1 if units and len(places) <= sample else 0 for units in places]
    rest = [units - one for units, one in zip(places, first, strict=True)]
    left = sample - sum(first)
    return [one + more for one, more in zip(first, spread(left, rest) if any(rest) else rest, strict=True)]


def every_so_often(sample: int, names: Sequence[str]) -> list[str]:
    """Return so many of the names, evenly over all of them, so that not only the uppermost are looked at.

    >>> every_so_often(3, ["N1", "N2", "N3", "N4", "N5", "N6"])
    ['N1', 'N3', 'N5']
    """
    if not 0 < sample < len(names):
        return list(names)[: max(sample, 0)]
    return [names[place * len(names) // sample] for place in range(sample)]
