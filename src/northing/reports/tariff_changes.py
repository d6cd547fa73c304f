"""What a change of the tariff does to open lines: their expected landed cost by the rules before and after it."""

from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass, replace
from datetime import date
from decimal import Decimal

from django.core import serializers
from django.db.models import Prefetch

from northing.customs.models import TariffChange
from northing.customs.queries import is_declared
from northing.masterdata.models import CountryGroup, TariffRule, Territory
from northing.masterdata.tariffs import Earlier, duty_words
from northing.orders.models import Instalment, OrderLine
from northing.reports.cost_pieces import parts_of_shipments, pieces_of
from northing.reports.expected_cost import Expectations, together_of
from northing.reports.expected_duty import Duties
from northing.reports.expected_pieces import ZERO, Piece
from northing.shipping.models import ShipmentLine

# So many orders, or shipments, are reckoned together; in between it is said how far it is.
ORDERS, SHIPMENTS = 400, 40


@dataclass
class LineMoved:
    """Open units of an order line (id): what they cost landed before and after, in all, and their duty in words."""

    line: int
    quantity: Decimal
    duty_before: str
    duty_after: str
    before: Decimal
    after: Decimal


def earlier_of(change: TariffChange) -> Earlier:
    """The tariff before a change."""
    was = [one.object for one in serializers.deserialize("json", change.before["was"])]
    made = change.before["made"]
    territories = dict.fromkeys(made.get("territory", ()), None)
    return Earlier(
        [one for one in was if isinstance(one, TariffRule)],
        made.get("tariff", ()),
        {one.pk: one for one in was if isinstance(one, CountryGroup)},
        territories | {one.code: one for one in was if isinstance(one, Territory)},
    )


def lines_moved(earlier: Earlier, day: date, far: Callable[[int, int], None]) -> list[LineMoved]:
    """The open lines whose expected cost is another one than before; `far` hears how many of how many are done."""
    now = Expectations(day)
    before = Duties(day, now.rates, earlier)
    orders, shipments = _open_orders(), _open_shipments()
    total, done = len(orders) + len(shipments), 0
    found: dict[int, LineMoved] = {}
    far(0, total)
    for many, pieces in _batches(orders, shipments, day):
        _compare(pieces, now, before, found)
        done += many
        far(done, total)
    return [one for _, one in sorted(found.items())]


def _open_orders() -> list[int]:
    waiting = Instalment.objects.filter(position__with_supplier__gt=0)
    return sorted(set(waiting.values_list("line__order", flat=True)))


def _open_shipments() -> list[int]:
    undeclared = ShipmentLine.objects.filter(~is_declared(), quantity__gt=0, container__isnull=False)
    return sorted(set(undeclared.values_list("container__shipment", flat=True)))


def _batches(orders: Sequence[int], shipments: Sequence[int], day: date) -> Iterator[tuple[int, Sequence[Piece]]]:
    """Pieces, with the number of orders or shipments that they are all of."""
    parts = Prefetch("instalments", Instalment.objects.select_related("position").order_by("pk"))
    lines = OrderLine.objects.filter(instalments__position__with_supplier__gt=0).distinct().prefetch_related(parts)
    lines = lines.select_related("item", "order__company", "order__supplier", "order__site").order_by("pk")
    for keys in _some(orders, ORDERS):
        yield len(keys), pieces_of([], day, list(lines.filter(order__in=keys))).all
    for keys in _some(shipments, SHIPMENTS):
        yield len(keys), pieces_of(parts_of_shipments(keys), day).all


def _some(keys: Sequence[int], most: int) -> Iterator[Sequence[int]]:
    for start in range(0, len(keys), most):
        yield keys[start : start + most]


def _compare(pieces: Sequence[Piece], now: Expectations, before: Duties, found: dict[int, LineMoved]) -> None:
    """Add to `found` what moves. Goods that share costs are reckoned together, if a rule of one of them is another."""
    moved = [places for places in together_of(pieces) if any(_asks(pieces[place], now, before) for place in places)]
    some = [pieces[place] for places in moved for place in places]
    if not some:
        return
    costs = now.of(some).costs
    earlier = [replace(cost, duty=None, tax=ZERO) for cost in costs]
    before.put(some, earlier, together_of(some))
    for piece, old, new in zip(some, earlier, costs, strict=True):
        if old.landed is not None and new.landed is not None and old.landed != new.landed:
            words = [duty_words(piece.item, duties.rules_for(piece)) for duties in (before, now.duties)]
            _add(found, piece, words, old.landed, new.landed)


def _asks(piece: Piece, now: Expectations, before: Duties) -> bool:
    """Whether its duty is reckoned by other rules than before."""
    if piece.declared:
        return False
    return before.counts_anew(piece.company.country) or before.rules_for(piece) != now.duties.rules_for(piece)


def _add(found: dict[int, LineMoved], piece: Piece, words: Sequence[str], old: Decimal, new: Decimal) -> None:
    assert piece.line.pk is not None
    one = found.setdefault(piece.line.pk, LineMoved(piece.line.pk, ZERO, *words, ZERO, ZERO))
    one.quantity += piece.quantity
    one.before += old
    one.after += new
