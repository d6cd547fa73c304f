"""The loading of containers: how full each is, what still fits, and a loading that is proposed.

Volumes are m3 and weights kg, both Decimal. A container type's volume is what planning counts on (cartons never
fill the last corner), its payload what the goods in it may weigh; both can be said of a single container as well.
"""

from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from decimal import ROUND_FLOOR, Decimal

from northing.core.money.exact import plain
from northing.core.problems import Problem, Strength

ZERO = Decimal(0)
# IATA: a cubic metre of air freight is charged as 1,000,000 / 6,000 kg.
AIR_KG_PER_M3 = Decimal(1000000) / Decimal(6000)


@dataclass(frozen=True, slots=True)
class BoxType:
    """A container type by its ISO 6346 size-type; `cost` compares the types (a 20 foot dry is 1)."""

    code: str
    name: str
    volume: Decimal
    payload: Decimal
    cost: Decimal


TYPES = {
    one.code: one
    for one in (
        BoxType("22G1", "20 foot dry", Decimal(28), Decimal(21700), Decimal("1.00")),
        BoxType("42G1", "40 foot dry", Decimal(58), Decimal(26500), Decimal("1.60")),
        BoxType("45G1", "40 foot high cube", Decimal(68), Decimal(26300), Decimal("1.70")),
        BoxType("22R1", "20 foot refrigerated", Decimal(25), Decimal(21000), Decimal("1.90")),
        BoxType("45R1", "40 foot high cube refrigerated", Decimal(58), Decimal(26000), Decimal("3.00")),
    )
}
# Loose packages: no container, and no limit that we know of.
LOOSE = "LOOS"
DRY = ("45G1", "42G1", "22G1")


@dataclass(frozen=True, slots=True)
class Part:
    """Units that want to be loaded. `step` is how many go together (a pack); volume and weight are of one unit.

    Goods that are `apart` share a container only with goods of the same `group`; goods for different
    `destination`s never share one.
    """

    key: int
    order: int
    quantity: Decimal
    step: Decimal
    volume: Decimal
    weight: Decimal
    group: str = ""
    apart: bool = False
    destination: int = 0


@dataclass(frozen=True, slots=True)
class Fill:
    """How full something is: volume and weight in it, and its limits (None: no limit)."""

    volume: Decimal
    weight: Decimal
    most_volume: Decimal | None
    most_weight: Decimal | None

    @property
    def by_volume(self) -> Decimal | None:
        return self.volume / self.most_volume if self.most_volume else None

    @property
    def by_weight(self) -> Decimal | None:
        return self.weight / self.most_weight if self.most_weight else None


def fill_of(parts: Iterable[tuple[Decimal, Decimal, Decimal]], volume: Decimal | None, payload: Decimal | None) -> Fill:
    """Add up (quantity, unit volume, unit weight).

    >>> fill_of([(Decimal(100), Decimal("0.14"), Decimal(90))], Decimal(28), Decimal(18000)).by_volume
    Decimal('0.50')
    """
    cubic = weight = ZERO
    for quantity, unit_volume, unit_weight in parts:
        cubic += quantity * unit_volume
        weight += quantity * unit_weight
    return Fill(cubic, weight, volume, payload)


def fill_problems(name: str, fill: Fill, where: str) -> list[Problem]:
    """Warnings where a container is over its volume or its payload: they inform and let pass."""
    found = []
    if fill.most_volume is not None and fill.volume > fill.most_volume:
        what = f"{name} holds {plain(round(fill.volume, 2))} of {plain(fill.most_volume)} m3."
        found.append(Problem(what, where, "Move something into another container.", Strength.WARN))
    if fill.most_weight is not None and fill.weight > fill.most_weight:
        what = f"{name} weighs {plain(round(fill.weight, 0))} kg, above its payload of {plain(fill.most_weight)} kg."
        found.append(Problem(what, where, "Move something into another container.", Strength.WARN))
    return found


def chargeable_weight(volume: Decimal, weight: Decimal) -> Decimal:
    """The chargeable weight of air freight in kg: the weight, or the volume at 6,000 cm3 to the kg; up to half kilos.

    >>> chargeable_weight(Decimal("1.2"), Decimal(150))
    Decimal('200.0')
    >>> chargeable_weight(Decimal("0.5"), Decimal("150.2"))
    Decimal('150.5')
    """
    exact = max(weight, (volume * AIR_KG_PER_M3).quantize(Decimal("0.001")))
    halves = (exact * 2).to_integral_value(ROUND_FLOOR)
    return (halves if halves == exact * 2 else halves + 1) / 2 + Decimal("0.0")


def most_that_fits(part: Part, wanted: Decimal, volume: Decimal | None, weight: Decimal | None) -> Decimal:
    """How much of `wanted` fits in the volume and weight that are left: whole steps, unless all of it fits.

    >>> kettle = Part(1, 1, Decimal(100), Decimal(12), Decimal("0.5"), Decimal(2))
    >>> most_that_fits(kettle, Decimal(100), Decimal(28), None)
    Decimal('48')
    """
    limits = [wanted]
    if volume is not None and part.volume:
        limits.append(max(volume, ZERO) / part.volume)
    if weight is not None and part.weight:
        limits.append(max(weight, ZERO) / part.weight)
    most = min(limits)
    return wanted if most >= wanted else (most / part.step).to_integral_value(ROUND_FLOOR) * part.step


@dataclass(frozen=True)
class ProposedBox:
    """A container of a proposal: its type, and quantities by part (key)."""

    type: BoxType
    rows: tuple[tuple[int, Decimal], ...]


@dataclass
class _Box:
    type: BoxType
    volume: Decimal
    weight: Decimal
    rows: dict[int, Decimal]
    groups: set[str]
    apart: bool = False

    @classmethod
    def of(cls, kind: BoxType) -> "_Box":
        return cls(kind, kind.volume, kind.payload, {}, set())

    def lets_in(self, part: Part) -> bool:
        """Whether the goods may stand beside what is there."""
        return not ((self.apart or part.apart) and self.groups - {part.group})

    def put(self, part: Part, quantity: Decimal) -> None:
        self.volume -= quantity * part.volume
        self.weight -= quantity * part.weight
        self.rows[part.key] = self.rows.get(part.key, ZERO) + quantity
        self.groups.add(part.group)
        self.apart = self.apart or part.apart

    def slack(self) -> Decimal:
        """How much of the scarcer of the two is left, as a part of the whole."""
        return min(self.volume / self.type.volume, self.weight / self.type.payload)


def propose(parts: Sequence[Part], types: Sequence[BoxType]) -> list[ProposedBox]:
    """Which containers, and what goes in which: as cheap as is found, then orders kept together, then lines whole.

    For each destination, and each group of goods that must stay apart, the cheapest mixes of types that could hold
    it all are tried, with orders put in by size in several sequences; what does not fit brings one more container.
    First-fit is one of the candidates, so that the proposal is never worse. Deterministic.

    Raises ValueError where a single step of a part fits no type.
    """
    if not types:
        raise ValueError("no container type to load into")
    found: list[ProposedBox] = []
    for some in _apart(parts):
        found += _proposed(some, types)
    return found


def first_fit(parts: Sequence[Part], types: Sequence[BoxType]) -> list[ProposedBox]:
    """The plain way, to compare with: each line into the first container it fits in whole, else into a new one of
    the largest type, a line larger than that over several."""
    largest = max(types, key=lambda one: (one.volume, one.payload))
    found: list[ProposedBox] = []
    for some in _by_destination(parts):
        boxes: list[_Box] = []
        for part in some:
            _first_fit_one(part, boxes, largest)
        found += _frozen(boxes)
    return found


def cost_of(boxes: Iterable[ProposedBox], parts: Iterable[Part]) -> tuple[Decimal, int, int]:
    """What a loading costs, to compare: containers by type, containers an order is spread over beyond its first,
    the same for lines."""
    order_of = {part.key: part.order for part in parts}
    boxes = list(boxes)
    spread = [{order_of[key] for key, _ in box.rows} for box in boxes]
    orders = sum(map(len, spread)) - len(set().union(*spread))
    lines = sum(len(box.rows) for box in boxes) - len({key for box in boxes for key, _ in box.rows})
    return sum((box.type.cost for box in boxes), ZERO), orders, lines


def _by_destination(parts: Iterable[Part]) -> list[list[Part]]:
    found: dict[int, list[Part]] = {}
    for part in parts:
        if part.quantity > 0:
            found.setdefault(part.destination, []).append(part)
    return list(found.values())


def _apart(parts: Iterable[Part]) -> list[list[Part]]:
    """Parts that may share containers, by destination; a group that must stay apart takes its whole group along."""
    found: dict[tuple[int, str], list[Part]] = {}
    parts = [part for part in parts if part.quantity > 0]
    shy = {(part.destination, part.group) for part in parts if part.apart}
    for part in parts:
        where = (part.destination, part.group)
        found.setdefault(where if where in shy else (part.destination, ""), []).append(part)
    return list(found.values())


def _proposed(parts: list[Part], types: Sequence[BoxType]) -> list[ProposedBox]:
    for part in parts:
        least = min(part.step, part.quantity)
        if not any(least * part.volume <= one.volume and least * part.weight <= one.payload for one in types):
            raise ValueError(f"one pack of part {part.key} is larger than every container type")
    best = first_fit(parts, types)
    score = cost_of(best, parts)
    for mix in _mixes(parts, types):
        if sum((one.cost for one in mix), ZERO) > score[0]:
            break
        for sequence in _sequences(parts):
            loading = _loaded(sequence, mix, types)
            this = cost_of(loading, parts)
            if this < score:
                best, score = loading, this
    return best


MIXES = 12


def _mixes(parts: Iterable[Part], types: Sequence[BoxType]) -> list[tuple[BoxType, ...]]:
    """The cheapest sets of containers that could hold it all by volume and weight, cheapest first."""
    volume = sum((part.quantity * part.volume for part in parts), ZERO)
    weight = sum((part.quantity * part.weight for part in parts), ZERO)
    kinds = sorted(types, key=lambda one: -one.volume)
    found: list[tuple[Decimal, tuple[BoxType, ...]]] = []

    def needed(kind: BoxType, volume: Decimal, weight: Decimal) -> int:
        most = max(volume / kind.volume, weight / kind.payload)
        return max(int(most.to_integral_value(ROUND_FLOOR)) + (most % 1 > 0), 0)

    def extend(index: int, chosen: tuple[BoxType, ...], volume: Decimal, weight: Decimal) -> None:
        kind = kinds[index]
        most = needed(kind, volume, weight)
        if index == len(kinds) - 1:
            whole = chosen + (kind,) * most
            found.append((sum((one.cost for one in whole), ZERO), whole))
            return
        # Of a larger type, nearly as many as could be needed: the rest is topped up by smaller ones.
        for count in range(max(most - 3, 0), most + 1):
            extend(index + 1, chosen + (kind,) * count, volume - count * kind.volume, weight - count * kind.payload)

    extend(0, (), volume, weight)
    found.sort(key=lambda one: (one[0], len(one[1])))
    return [mix for _, mix in found[:MIXES]]


def _sequences(parts: Sequence[Part]) -> list[list[list[Part]]]:
    """Orders, each with its lines, in the sequences that are tried: the large first, the heavy first, as they came."""
    orders: dict[int, list[Part]] = {}
    for part in parts:
        orders.setdefault(part.order, []).append(part)

    def volume(order: list[Part]) -> Decimal:
        return sum((part.quantity * part.volume for part in order), ZERO)

    def weight(order: list[Part]) -> Decimal:
        return sum((part.quantity * part.weight for part in order), ZERO)

    as_they_came = list(orders.values())
    return [
        sorted(as_they_came, key=volume, reverse=True),
        sorted(as_they_came, key=weight, reverse=True),
        as_they_came,
    ]


def _loaded(orders: Iterable[list[Part]], mix: Iterable[BoxType], types: Sequence[BoxType]) -> list[ProposedBox]:
    boxes = [_Box.of(kind) for kind in mix]
    rest: list[list[Part]] = []
    # Whole orders first, each where it leaves the least room; then what had to be divided.
    for order in orders:
        if not _put_whole(order, boxes):
            rest.append(order)
    for order in rest:
        for part in sorted(order, key=lambda one: one.quantity * one.volume, reverse=True):
            _put_divided(part, boxes, types)
    return _frozen(boxes)


def _put_whole(order: list[Part], boxes: Iterable[_Box]) -> bool:
    volume = sum((part.quantity * part.volume for part in order), ZERO)
    weight = sum((part.quantity * part.weight for part in order), ZERO)
    fitting = [
        (box.volume - volume, index, box)
        for index, box in enumerate(boxes)
        if box.volume >= volume and box.weight >= weight and all(box.lets_in(part) for part in order)
    ]
    if not fitting:
        return False
    for part in order:
        min(fitting)[2].put(part, part.quantity)
    return True


def _put_divided(part: Part, boxes: list[_Box], types: Sequence[BoxType]) -> None:
    """The line whole where it fits, beside its order before elsewhere; else over as few containers as can be."""
    left = part.quantity
    whole = [box for box in boxes if box.lets_in(part) and most_that_fits(part, left, box.volume, box.weight) == left]
    if whole:
        min(whole, key=lambda box: box.volume).put(part, left)
        return
    while left:
        open_boxes = [box for box in boxes if box.lets_in(part)]
        room = max(
            ((most_that_fits(part, left, box.volume, box.weight), -n) for n, box in enumerate(open_boxes)), default=None
        )
        if room and room[0]:
            open_boxes[-room[1]].put(part, room[0])
            left -= room[0]
        else:
            boxes.append(_Box.of(_next_type(part, left, types)))


def _next_type(part: Part, left: Decimal, types: Sequence[BoxType]) -> BoxType:
    """The cheapest type that holds all that is left, else the one that holds most of it."""
    holds = [(most_that_fits(part, left, one.volume, one.payload), one) for one in types]
    whole = [one for most, one in holds if most == left]
    return min(whole, key=lambda one: one.cost) if whole else max(holds, key=lambda pair: pair[0])[1]


def _first_fit_one(part: Part, boxes: list[_Box], largest: BoxType) -> None:
    left = part.quantity
    for box in boxes:
        if box.lets_in(part) and most_that_fits(part, left, box.volume, box.weight) == left:
            box.put(part, left)
            return
    while left:
        box = _Box.of(largest)
        most = most_that_fits(part, left, box.volume, box.weight)
        if not most:
            raise ValueError(f"one pack of part {part.key} is larger than every container type")
        box.put(part, most)
        boxes.append(box)
        left -= most


def _frozen(boxes: Iterable[_Box]) -> list[ProposedBox]:
    return [ProposedBox(box.type, tuple(box.rows.items())) for box in boxes if box.rows]
