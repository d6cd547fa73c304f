"""Advances on orders and the goods they belong to: reserved as goods become ours, set off as those are billed.

Units that are given up unbilled release their reserve.
"""

from collections import defaultdict
from collections.abc import Iterable, Mapping
from decimal import Decimal

from django.db.models import Sum

from northing.actions.costing.recognitions import Key, of_lines
from northing.billing.models import BillLine
from northing.core.billing.advances import Amounts, reserved
from northing.core.money.money import from_minor, to_minor
from northing.core.money.spread import amount_so_far
from northing.core.orders.orders import net_amount
from northing.ledger.models import Entry
from northing.orders.models import Instalment, OrderLine, PurchaseOrder
from northing.payments import operations as payments
from northing.payments.models import Reserve, ReserveUse
from northing.payments.queries import Advance, Reserved, open_advances, reserves_of
from northing.receiving.models import ReceiptLine
from northing.shipping.models import ShipmentLine

ZERO = Decimal(0)


class Pool:
    """The open advances of orders while goods of them become ours, one after the other."""

    def __init__(self, orders: Iterable[int]):
        self._open = open_advances(orders)
        self._not_ours = _not_ours(self._open) if self._open else {}
        self._currencies = _currencies(self._open) if self._open else {}

    def reserve(self, order: int, amount: Decimal, most: Decimal | None = None) -> Advance:
        """The part of an order's open advance that belongs to goods of this amount; it is open no more.

        It is at most `most`, else the amount.
        """
        left = self._open.get(order)
        if left is None or not amount:
            return Advance()
        currency, base = self._currencies[order]
        goods, not_ours = to_minor(amount, currency), to_minor(self._not_ours[order], currency)
        limit = goods if most is None else to_minor(most, currency)
        part = reserved(Amounts(to_minor(left.amount, currency), to_minor(left.base, base)), goods, not_ours, limit)
        found = Advance(from_minor(part.amount, currency), from_minor(part.base, base))
        self._open[order] = Advance(left.amount - found.amount, left.base - found.base)
        self._not_ours[order] -= amount
        return found


def _currencies(orders: Iterable[int]) -> dict[int, tuple[str, str]]:
    rows = PurchaseOrder.objects.filter(pk__in=list(orders)).values_list("pk", "currency", "company__currency")
    return {order: (currency, base) for order, currency, base in rows}


def _not_ours(orders: Iterable[int]) -> dict[int, Decimal]:
    """The price of the goods of orders (ids) that are not ours yet, may still come, and are not billed."""
    keys = list(orders)
    ahead = _billed_ahead(keys)
    parts = Instalment.objects.filter(line__order__in=keys).select_related("line__order", "position").order_by("pk")
    owned = ShipmentLine.objects.filter(instalment__line__order__in=keys, goods_base__isnull=False)
    taken = ReceiptLine.objects.filter(instalment__line__order__in=keys, receipt__reversed_by=None)
    ours: dict[int, Decimal] = defaultdict(Decimal)
    for rows, name in ((owned, "quantity"), (taken, "recognised_units")):
        for part, units in rows.values_list("instalment").order_by().annotate(u=Sum(name)):
            ours[part] += units
    found = dict.fromkeys(keys, ZERO)
    for one in parts:
        dropped = one.position.dropped if hasattr(one, "position") else ZERO
        left = max(one.quantity - dropped - ours[one.pk], ZERO)
        billed = min(left, ahead[one.line_id])
        ahead[one.line_id] -= billed
        left -= billed
        found[one.line.order_id] += net_amount(
            left, one.line.pack_factor, one.pack_price, one.net_share, one.line.order.currency
        )
    return found


def _billed_ahead(orders: Iterable[int]) -> dict[int, Decimal]:
    """By order line (id), units that are billed and not ours: they have set off their part."""
    lines = BillLine.objects.filter(order_line__order__in=list(orders), bill__reversed_by=None)
    found: dict[int, Decimal] = defaultdict(Decimal)
    for line, billed, owned in lines.values_list("order_line", "quantity").annotate(u=Sum("goods__units")):
        found[line] += billed - (owned or ZERO)
    return found


def write_all(entry: Entry, rows: Iterable[tuple[int, str, int, Decimal, Advance]], *, valued: bool) -> None:
    """Goods reserve parts of advances: (order, kind and id of their document, units, part)."""
    payments.reserve(
        Reserve(
            order_id=order,
            units=units,
            amount=part.amount,
            base=part.base,
            valued=valued,
            entry=entry,
            **{f"{kind}_id": document},
        )
        for order, kind, document, units, part in rows
        if part.amount or part.base
    )


def _uses(units: Mapping[Key, Decimal]) -> list[tuple[Key, Reserved, Decimal, Decimal, Decimal]]:
    """For units of goods their share of each reserve: the goods, the reserve, units, amount, base."""
    by_kind: dict[str, list[int]] = defaultdict(list)
    for kind, document in units:
        by_kind[kind].append(document)
    found = []
    for kind, documents in by_kind.items():
        for one in reserves_of(kind, documents):
            key = kind, getattr(one.reserve, f"{kind}_id")
            part = min(units[key], one.left)
            through, order = one.units + part, one.reserve.order
            amount = amount_so_far(one.reserve.amount, order.currency, through, one.reserve.units) - one.amount
            base = amount_so_far(one.reserve.base, order.company.currency, through, one.reserve.units) - one.base
            found.append((key, one, part, amount, base))
    return found


def to_set_off(units: Mapping[Key, Decimal]) -> dict[Key, Advance]:
    """What a bill for these units sets off, by goods; nothing is written."""
    found: dict[Key, Advance] = {}
    for key, _, _, amount, base in _uses(units):
        before = found.get(key, Advance())
        found[key] = Advance(before.amount + amount, before.base + base)
    return found


def set_off(entry: Entry, units: Mapping[Key, Decimal]) -> None:
    """Units that are billed use their reserves."""
    _write_uses(dict.fromkeys(units, entry), units, set_off=True)


def give_up(entries: Mapping[Key, Entry], units: Mapping[Key, Decimal]) -> None:
    """Units that are given up unbilled, each for an entry of its own, release their reserves."""
    _write_uses(entries, units, set_off=False)


def _write_uses(entries: Mapping[Key, Entry], units: Mapping[Key, Decimal], *, set_off: bool) -> None:
    payments.use(
        ReserveUse(reserve=one.reserve, entry=entries[key], units=part, amount=amount, base=base, set_off=set_off)
        for key, one, part, amount, base in _uses(units)
    )


def take_up(entry: Entry, key: Key, units: Decimal) -> None:
    """Units that were given up unbilled are owed again: so much of what they released is reserved again, by shares."""
    kind, document = key
    names = ("reserve", "reserve__order__currency", "reserve__order__company__currency")
    uses = ReserveUse.objects.filter(set_off=False, **{f"reserve__{kind}": document}).values_list(*names)
    uses = uses.annotate(u=Sum("units"), a=Sum("amount"), b=Sum("base")).filter(u__gt=0).order_by("-reserve")
    left, again = units, []
    for reserve, currency, base_currency, given_up, amount, base in uses:
        part = min(left, given_up)
        left -= part
        facts = {"reserve_id": reserve, "entry": entry, "set_off": False, "units": -part}
        facts["amount"] = -amount_so_far(amount, currency, part, given_up)
        facts["base"] = -amount_so_far(base, base_currency, part, given_up)
        again.append(ReserveUse(**facts))
    payments.use(one for one in again if one.units)


def take_up_again(entry: Entry, of: Entry) -> None:
    """Reserves stand again as before an entry used them."""
    payments.use(
        ReserveUse(
            reserve_id=one.reserve_id,
            entry=entry,
            units=-one.units,
            amount=-one.amount,
            base=-one.base,
            set_off=one.set_off,
        )
        for one in ReserveUse.objects.filter(entry=of).order_by("pk")
    )


def give_up_all(entry: Entry, kind: str, documents: Iterable[int]) -> None:
    """Goods are not ours after all: all that they reserved is open again."""
    payments.use(_rest(entry, one) for one in reserves_of(kind, documents))


def _rest(entry: Entry, one: Reserved) -> ReserveUse:
    amount, base = one.reserve.amount - one.amount, one.reserve.base - one.base
    return ReserveUse(reserve=one.reserve, entry=entry, units=one.left, amount=amount, base=base, set_off=False)


def give_up_paid(entry: Entry, of: Entry) -> None:
    """What a payment's entry reserved, and no bill used, is given up: the payment is undone."""
    mine = set(Reserve.objects.filter(entry=of).values_list("pk", flat=True))
    for kind in ("shipment_line", "receipt_line"):
        keys = Reserve.objects.filter(pk__in=mine).exclude(**{kind: None}).values_list(kind, flat=True)
        payments.use(_rest(entry, one) for one in reserves_of(kind, keys) if one.reserve.pk in mine)


def reserve_paid(entry: Entry, order: PurchaseOrder, paid: Advance) -> None:
    """What is paid after goods are ours and before they are billed belongs to those first, the oldest first.

    It is set off as they are billed, and values nothing.
    """
    lines = OrderLine.objects.filter(order=order).values_list("pk", flat=True)
    owned = [one for one in of_lines(lines) if one.open_units > 0 and one.amount]
    kept = _kept(one.key for one in owned)
    left, rows = paid, []
    for one in owned:
        part = one.next_open(one.open_units)
        amount = min(left.amount, part.amount - kept.get(one.key, ZERO))
        if amount <= 0:
            continue
        base = (
            left.base
            if amount == left.amount
            else amount_so_far(paid.base, order.company.currency, amount, paid.amount)
        )
        rows.append((order.pk, one.kind, one.document, one.open_units, Advance(amount, base)))
        left = Advance(left.amount - amount, left.base - base)
    write_all(entry, rows, valued=False)


def _kept(keys: Iterable[Key]) -> dict[Key, Decimal]:
    """What goods have reserved and not used, in the order's currency."""
    by_kind: dict[str, list[int]] = defaultdict(list)
    for kind, document in keys:
        by_kind[kind].append(document)
    found: dict[Key, Decimal] = defaultdict(Decimal)
    for kind, documents in by_kind.items():
        for one in reserves_of(kind, documents):
            found[kind, getattr(one.reserve, f"{kind}_id")] += one.reserve.amount - one.amount
    return found
