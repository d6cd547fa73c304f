"""Arrival as a range, learnt from finished passages: how many days each stretch took more (or less) than planned.

For every stretch (made ready, carried, cleared and brought in) the days off plan of finished passages are kept under
keys from the most particular (this carrier on this lane) to the most general (all). Where a particular key has few,
the next one fills it up to `ENOUGH`, each of its passages counting for less the more of them there are: so a new lane
begins with what all lanes know, and ends with what it knows itself. The stretches that are still to come are added up
as if they were independent; of the sum the 50 % and 90 % quantiles are taken, empirically, with the usual step of one
more observation than there are (so that few passages promise less). Days are whole; probabilities are floats.
"""

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from datetime import date, timedelta

# As many finished passages as make a key speak for itself; and the fewest, of whatever key, that say anything.
ENOUGH, FEWEST = 20, 5
LIKELY, SAFE = 0.5, 0.9
SMALL = 1e-9
# What is further off than this is a mistake in the dates, and would stretch every sum.
FARTHEST = 120

Spread = Mapping[int, float]
Key = tuple[str, ...]


def learn(samples: Iterable[tuple[Sequence[Key], int]]) -> dict[Key, dict[int, int]]:
    """Count the days off plan (late above 0) under each of the keys of each passage.

    >>> learn([([("VAN", "CNNGB"), ()], 2), ([("VAN", "CNNGB"), ()], 2)])
    {('VAN', 'CNNGB'): {2: 2}, (): {2: 2}}
    """
    found: dict[Key, dict[int, int]] = {}
    for keys, days in samples:
        if abs(days) > FARTHEST:
            continue
        for key in keys:
            counts = found.setdefault(key, {})
            counts[days] = counts.get(days, 0) + 1
    return found


def pooled(learnt: Mapping[Key, Mapping[int, int]], keys: Sequence[Key]) -> tuple[dict[int, float], float]:
    """The spread for the keys, the most particular first, and how many passages it rests on (as weight).

    Nothing and 0 where fewer than FEWEST passages are known under any of the keys.
    """
    weights: dict[int, float] = {}
    total = 0.0
    before: dict[int, int] = {}
    for key in keys:
        counts = learnt.get(key, {})
        # Those under the key before are among these; they are not counted twice.
        others = {days: count - before.get(days, 0) for days, count in counts.items()}
        there = sum(others.values())
        room = ENOUGH - total
        if there > 0 and room > 0:
            each = 1.0 if total == 0 and there >= room else min(1.0, room / there)
            for days, count in others.items():
                weights[days] = weights.get(days, 0.0) + each * count
            total += each * there
        before = dict(counts) or before
    if total < FEWEST:
        return {}, 0.0
    return {days: weight / total for days, weight in weights.items() if weight}, total


def at_least(spread: Spread, days: int) -> dict[int, float]:
    """The rest of a spread once so many days off plan have gone by and it has not happened.

    >>> at_least({0: 0.5, 4: 0.25, 9: 0.25}, 3)
    {4: 0.5, 9: 0.5}
    >>> at_least({0: 1.0}, 3)
    {3: 1.0}
    """
    left = {day: part for day, part in spread.items() if day >= days}
    whole = sum(left.values())
    return {day: part / whole for day, part in left.items()} if whole > SMALL else {days: 1.0}


def centred(spread: Spread) -> dict[int, float]:
    """The spread around its own middle: for a stretch of whose end a person has said an estimate."""
    middle = quantile(spread, LIKELY, 0)
    return {day - middle: part for day, part in spread.items()}


def added(spreads: Iterable[Spread]) -> dict[int, float]:
    """The spread of a sum of independent stretches."""
    whole = {0: 1.0}
    for spread in spreads:
        found: dict[int, float] = {}
        for days, part in whole.items():
            for more, share in spread.items():
                found[days + more] = found.get(days + more, 0.0) + part * share
        whole = found
    return whole


def quantile(spread: Spread, part: float, passages: float) -> int:
    """The whole day whose chance is nearest to this part; of few passages, as if one more was the worst seen.

    Nearest, and not the first that reaches it: a day is a coarse step (often a twentieth of all), and always rounding
    up would promise nine days of ten and keep nineteen of twenty.

    >>> quantile({0: 0.5, 1: 0.4, 7: 0.1}, 0.9, 0), quantile({0: 0.5, 1: 0.4, 7: 0.1}, 0.9, 10)
    (1, 7)
    """
    wanted = min(part * (passages + 1) / passages, 1.0) if passages else part
    seen, best = 0.0, (2.0, 0)
    for days in sorted(spread):
        seen += spread[days]
        off = abs(seen - wanted)
        if off < best[0] - SMALL:
            best = (off, days)
        if seen >= wanted:
            break
    return best[1]


@dataclass(frozen=True)
class Stretch:
    """A stretch still to come: what it is called, its spread (empty: nothing known) and the passages behind it.

    `gone` says how many days off plan it is already without having ended (None: it has not begun);
    `estimated` that its end was estimated by a person, so that only the spread around it counts.
    """

    name: str
    spread: Spread
    passages: float
    gone: int | None = None
    estimated: bool = False

    @property
    def left(self) -> dict[int, float]:
        """Its spread as it stands now; what is not known is taken as planned."""
        if not self.spread:
            return {0: 1.0}
        spread = centred(self.spread) if self.estimated else dict(self.spread)
        return at_least(spread, self.gone) if self.gone is not None else spread

    @property
    def loses(self) -> float:
        """How many days it loses on average."""
        return sum(days * part for days, part in self.left.items())


@dataclass(frozen=True)
class Range:
    """When goods reach the dock: likely (50 %) and safe (90 %); None where there is no history."""

    likely: date | None
    safe: date | None
    spread: Spread
    base: date
    stretches: tuple[Stretch, ...]

    def chance(self, need_by: date) -> float | None:
        """The chance that they are there by a day."""
        if self.likely is None:
            return None
        days = (need_by - self.base).days
        return sum(part for day, part in self.spread.items() if day <= days)


def arrival_range(base: date, stretches: Sequence[Stretch], today: date) -> Range:
    """The range of the day at the dock, where all goes to plan it is `base`. Never before today."""
    known = [one for one in stretches if one.spread]
    if not known:
        return Range(None, None, {}, base, tuple(stretches))
    floor = (today - base).days
    spread: dict[int, float] = {}
    for days, part in added(one.left for one in stretches).items():
        spread[max(days, floor)] = spread.get(max(days, floor), 0.0) + part
    passages = min(one.passages for one in known)
    likely, safe = quantile(spread, LIKELY, 0), quantile(spread, SAFE, passages)
    return Range(base + timedelta(days=likely), base + timedelta(days=safe), spread, base, tuple(stretches))
