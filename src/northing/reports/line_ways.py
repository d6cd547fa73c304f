"""Ways for a line that may come too late, side by side: wait, fly, fly a part; what each costs, when it is there."""

from collections.abc import Iterable, Sequence
from copy import copy
from dataclasses import dataclass
from datetime import date, timedelta
from decimal import Decimal

from northing.core.costing.landed_cost import unit_price_of
from northing.core.money.exact import divide
from northing.core.money.money import minor_units
from northing.core.planning.ranges import Range, arrival_range
from northing.masterdata.queries import route_legs
from northing.orders.models import Instalment, OrderLine
from northing.reports.cost_pieces import pieces_of
from northing.reports.expected_cost import Expectations
from northing.reports.expected_pieces import Piece
from northing.reports.ranges import INLAND, READY, Learnt, Ranges, inland_keys, ready_keys

ZERO = Decimal(0)
AIR = "air"
# From ready to our dock by air, where no route by air is kept.
AIR_DAYS = 7


@dataclass(frozen=True)
class Way:
    """A way for the units of a line that are with the supplier: how many fly, and what follows from it.

    Costs are in base currency: `unit` landed (4 decimals), `more` than to wait for all of it. `delay` is what the days
    after need-by cost on average, each unit its part of the line's cost of a day. `chances` are units with the chance
    in whole per cent that they are there by need-by; None where too little is known.
    """

    name: str
    flown: Decimal
    unit: Decimal | None
    more: Decimal | None
    likely: date
    chances: tuple[tuple[Decimal, int | None], ...]
    delay: Decimal
    because: tuple[str, ...]

    @property
    def whole(self) -> Decimal | None:
        """What it costs more than to wait, with its delay."""
        return None if self.more is None else self.more + self.delay


def open_parts(line: OrderLine) -> list[Instalment]:
    """The instalments of a line of which units are with the supplier."""
    return [part for part in line.instalments.all() if part.position.with_supplier > 0]


def air_days(line: OrderLine) -> tuple[int, str]:
    """Days by air from ready to our dock, and where that is known from."""
    loads, lands = line.order.supplier.port_id, line.order.site.port_id
    for name, legs in route_legs().items():
        carried = [leg for leg in legs if leg.mode == AIR]
        if carried and (carried[0].origin, carried[-1].destination) == (loads, lands):
            return sum(leg.wait_days + leg.days for leg in legs), f"by the route {name}"
    return AIR_DAYS, f"{AIR_DAYS} days from ready: no route by air is kept"


def ways_of(line: OrderLine, fly: Decimal, today: date) -> list[Way]:
    """Wait, fly `fly` units, fly all. The line has its item, its order with company, supplier and site, and its
    instalments with positions; empty where nothing is with the supplier.
    """
    parts = open_parts(line)
    there = sum((part.position.with_supplier for part in parts), ZERO)
    if not there:
        return []
    pieces = pieces_of([], today, [line]).all
    asked = [ZERO, *([fly] if ZERO < fly < there else []), there]
    reckon = Expectations(today)
    days, known_from = air_days(line)
    by_sea, by_air = _ranges(line, parts, days, today)
    found: list[Way] = []
    waiting: Decimal | None = None
    for flown in asked:
        expected = reckon.of(_divided(pieces, flown))
        landed = _sum(cost.landed for cost in expected.costs)
        waiting = landed if not flown else waiting
        groups = [(units, one) for units, one in ((flown, by_air), (there - flown, by_sea)) if units]
        said = tuple(dict.fromkeys(one.estimate.because for one in expected.cards if one.kind == "freight"))
        if flown:
            said += (known_from,)
        found.append(
            Way(
                "wait" if not flown else "fly all" if flown == there else "fly a part",
                flown,
                None if landed is None else unit_price_of(landed, there),
                None if landed is None or waiting is None else landed - waiting,
                max(one.likely or one.base for _, one in groups),
                tuple((units, _percent(one.chance(line.need_by))) for units, one in groups),
                _delay(line, groups, there),
                said,
            )
        )
    return found


def _sum(amounts: Iterable[Decimal | None]) -> Decimal | None:
    """All of them together; None where one is not known."""
    total = ZERO
    for amount in amounts:
        if amount is None:
            return None
        total += amount
    return total


def _divided(pieces: Sequence[Piece], flown: Decimal) -> list[Piece]:
    """The pieces, of which so many units go by air: the first ones, as they are ready first."""
    found, left = [], flown
    for piece in pieces:
        by_air = min(piece.quantity, left)
        left -= by_air
        for quantity, mode in ((piece.quantity - by_air, ""), (by_air, AIR)):
            if quantity:
                found.append(_part(piece, quantity, mode))
    return found


def _part(piece: Piece, quantity: Decimal, mode: str) -> Piece:
    def part(amount: Decimal, currency: str) -> Decimal:
        return divide(amount * quantity, piece.quantity, minor_units(currency))

    made = copy(piece)
    made.quantity, made.amount, made.goods = quantity, part(piece.amount, piece.order.currency), None
    made.known = {kind: part(amount, piece.company.currency) for kind, amount in piece.known.items()}
    if mode:
        made.line = copy(piece.line)
        made.line.order = copy(piece.order)
        made.line.order.mode = mode
        # What an estimate says of freight is said of the way that was planned.
        made.known = {kind: amount for kind, amount in made.known.items() if kind != "freight"}
    return made


def _ranges(line: OrderLine, parts: Sequence[Instalment], by_plane: int, today: date) -> tuple[Range, Range]:
    """The range of the last part that waits, and that of what flies."""
    for part in parts:
        part.line = line
    known = Ranges((), today)
    last = max(parts, key=lambda part: part.promise or part.asked_on)
    waits = known.with_supplier(last, line.need_by)
    assert waits
    order, learnt = line.order, Learnt()
    port, site = order.supplier.port_id or "", order.site.port_id or ""
    ready = max(last.promise or last.asked_on, today)
    stretches = [
        learnt.stretch(READY, ready_keys(order.supplier.code, port)),
        learnt.stretch(INLAND, inland_keys(site)),
    ]
    return waits.range, arrival_range(ready + timedelta(days=by_plane), stretches, today)


def _percent(chance: float | None) -> int | None:
    return None if chance is None else round(chance * 100)


def _delay(line: OrderLine, groups: Sequence[tuple[Decimal, Range]], there: Decimal) -> Decimal:
    """The cost of the days after need-by, on average; without history by plan."""
    total = ZERO
    for units, one in groups:
        off = (one.base - line.need_by).days
        spread = one.spread or {0: 1.0}
        days = Decimal(str(round(sum(max(off + day, 0) * part for day, part in spread.items()), 1)))
        total += line.item.delay_cost * days * units
    return divide(total, there, minor_units(line.order.company.currency))
