"""The lines of a supplier's bill beside the goods that they bill.

Units that are ours and not billed come first, the oldest of them first; what is left over is billed ahead.
"""

from collections import defaultdict
from collections.abc import Iterable, Sequence
from dataclasses import dataclass, field, replace
from decimal import Decimal

from django.db.models import F, Sum

from northing.actions.billing.request import BillLineRequest, BillRequest
from northing.actions.costing import absorb, advances, ahead
from northing.actions.costing.absorb import Absorption
from northing.actions.costing.price_totals import price_totals
from northing.actions.costing.recognitions import Key, Part, Recognition, of_lines
from northing.billing import operations as billing
from northing.billing.models import Bill, BilledGoods, BillLine
from northing.core.billing.settle import Accrued, oldest_first, price_differences
from northing.core.money.money import converted, from_minor, is_whole, to_minor
from northing.core.money.spread import amount_so_far
from northing.core.orders.orders import net_amount
from northing.core.problems import Problem, Refused
from northing.ledger.models import Account, DocumentKind, Entry, OpenItem
from northing.ledger.operations import Draft, allocate
from northing.orders import operations as orders
from northing.orders.models import OrderLine
from northing.orders.queries import first_prices
from northing.payments.queries import Advance
from northing.positions.models import Position
from northing.shipping import operations as shipping
from northing.shipping.models import ShipmentLine

ZERO, ONE = Decimal(0), Decimal(1)


@dataclass(frozen=True)
class Matched:
    """Units of one recognition that a line bills: what they were worth, the difference of price, the advance set off.

    `difference` and `cost` are that difference in the bill's currency, and in base.
    """

    goods: Recognition
    part: Part
    difference: Decimal
    cost: Decimal
    advance: Advance


@dataclass
class GoodsLine:
    """A line as entered, its order line, what is ours of it, and how many units are billed ahead."""

    asked: BillLineRequest
    where: str
    line: OrderLine
    quantity: Decimal
    price: Decimal
    amount: Decimal
    # The price per pack that the order says, and what is paid of it.
    order_price: tuple[Decimal, Decimal]
    matched: list[Matched] = field(default_factory=list)
    ahead: Decimal = ZERO

    @property
    def agreed(self) -> Decimal:
        """What its units cost by agreement: those that are ours as they became ours, the rest by the order."""
        ours = sum((one.part.amount for one in self.matched), ZERO)
        order = self.line
        return ours + net_amount(self.ahead, order.pack_factor, *self.order_price, order.order.currency)

    @property
    def above(self) -> Decimal:
        """How much it is above what was agreed, in the bill's currency; below it, a negative amount."""
        return self.amount - self.agreed

    @property
    def advance(self) -> Advance:
        """The advances that it sets off."""
        amounts = [one.advance for one in self.matched]
        return Advance(sum((one.amount for one in amounts), ZERO), sum((one.base for one in amounts), ZERO))


def goods_lines(request: BillRequest, *, lock: bool = False) -> list[GoodsLine]:
    """The lines of goods with what they bill. Raises Refused with everything that is wrong with them.

    With `lock` the orders are locked first, so that two people never bill the same units.
    """
    asked = [(one.where or f"line-{number}", one) for number, one in enumerate(request.lines) if one.order_line]
    if not asked:
        return []
    keys = {one.order_line for _, one in asked if one.order_line}
    if lock:
        lock_goods(keys)
    lines = OrderLine.objects.filter(pk__in=keys).select_related("order__company", "order__supplier", "item").in_bulk()
    prices = first_prices(lines)
    problems, found = [], []
    for where, one in asked:
        line = lines.get(one.order_line or 0)
        problems += _problems(request, where, one, line)
        if line is not None and not problems:
            found.append(_as_entered(where, one, line, prices.get(line.pk, (line.pack_price, line.net_share))))
    if problems:
        raise Refused(problems)
    _match(found)
    return found


def lock_goods(lines: Iterable[int]) -> None:
    """Lock the shipments and orders of order lines (ids), so that nothing of them moves or is billed meanwhile."""
    keys = list(lines)
    shipping.lock(
        ShipmentLine.objects.filter(instalment__line__any_of=keys, container__isnull=False)
        .values_list("container__shipment", flat=True)
        .distinct()
    )
    orders.lock(OrderLine.objects.filter(pk__any_of=keys).values_list("order", flat=True))


def _problems(request: BillRequest, where: str, asked: BillLineRequest, line: OrderLine | None) -> list[Problem]:
    if request.kind == Bill.Kind.CREDIT:
        return [Problem("A credit note for goods is entered on its case.", where, "Enter a charge line here.")]
    if line is None or line.order.company_id != request.company or line.order.supplier_id != request.party:
        return [Problem("This is no order line of this supplier.", where, "Choose one of the list.")]
    order, name = line.order, f"{line.order.number}/{line.number}"
    found = []
    if order.sent_at is None:
        found.append(Problem(f"{order.number} is not sent.", where, "Send it first."))
    if order.currency != request.currency:
        what = f"{name} is ordered in {order.currency}; the bill is in {request.currency}."
        found.append(Problem(what, where, f"Ask the supplier for a bill in {order.currency}."))
    if asked.quantity is None or asked.quantity <= 0:
        found.append(Problem(f"{name}: a quantity is above 0.", f"quantity-{where}"))
    elif round(asked.quantity, line.item.decimals) != asked.quantity:
        found.append(Problem(f"{line.item.code} is counted in whole {line.item.unit}.", f"quantity-{where}"))
    elif asked.quantity > Decimal(999_999_999_999):
        found.append(Problem(f"{name}: this quantity is larger than any order.", f"quantity-{where}"))
    if asked.price is not None and not 0 <= asked.price <= Decimal(999_999_999_999):
        found.append(Problem(f"{name}: a price is not below 0.", f"price-{where}"))
    if asked.amount and not is_whole(asked.amount, request.currency):
        found.append(Problem(f"{request.currency} has fewer decimals than this amount.", f"amount-{where}"))
    if not asked.amount and asked.price is None:
        found.append(Problem(f"{name}: the price is missing.", f"price-{where}", "Enter it as on the bill."))
    return found


def _as_entered(where: str, asked: BillLineRequest, line: OrderLine, order_price: tuple[Decimal, Decimal]) -> GoodsLine:
    quantity, currency = asked.quantity or ZERO, line.order.currency
    if asked.price is None:
        price = round(asked.amount * line.pack_factor / quantity, 10)
        return GoodsLine(asked, where, line, quantity, price, asked.amount, order_price)
    amount = asked.amount or net_amount(quantity, line.pack_factor, asked.price, ONE, currency)
    return GoodsLine(asked, where, line, quantity, asked.price, amount, order_price)


def _match(lines: Sequence[GoodsLine]) -> None:
    """Give each line the oldest units that are ours and not billed, and what they set off."""
    ours: dict[int, list[Recognition]] = defaultdict(list)
    for one in of_lines({line.line.pk for line in lines}):
        if one.open_units > 0:
            ours[one.line].append(one)
    billed: dict[Key, Decimal] = defaultdict(Decimal)
    taken: list[tuple[GoodsLine, list[tuple[Recognition, Part]]]] = []
    for line in lines:
        found = ours[line.line.pk]
        units, line.ahead = oldest_first(line.quantity, [one.open_units for one in found])
        parts = []
        for place, part in enumerate(units):
            if part > 0:
                worth = found[place].next_open(part)
                parts.append((found[place], worth))
                billed[found[place].key] += part
                found[place] = _with_used(found[place], worth)
        taken.append((line, parts))
    offs = _Offs(billed)
    for line, parts in taken:
        line.matched = _with_differences(line, parts, offs)


def _with_used(one: Recognition, part: Part) -> Recognition:
    used = one.used
    return replace(one, used=Part(used.units + part.units, used.amount + part.amount, used.base + part.base))


class _Offs:
    """The advances that goods set off, where two lines of one bill are of the same goods: by units."""

    def __init__(self, units: dict[Key, Decimal]):
        self._units, self._whole = units, advances.to_set_off(units)
        self._through: dict[Key, Decimal] = defaultdict(Decimal)
        self._taken: dict[Key, Advance] = defaultdict(Advance)

    def take(self, goods: Recognition, units: Decimal) -> Advance:
        """The part for the next units."""
        whole = self._whole.get(goods.key)
        if whole is None:
            return Advance()
        self._through[goods.key] += units
        through, taken = self._through[goods.key], self._taken[goods.key]
        all_of = self._units[goods.key]
        now = Advance(
            amount_so_far(whole.amount, goods.currency, through, all_of),
            amount_so_far(whole.base, goods.base_currency, through, all_of),
        )
        self._taken[goods.key] = now
        return Advance(now.amount - taken.amount, now.base - taken.base)


def _with_differences(line: GoodsLine, parts: Sequence[tuple[Recognition, Part]], offs: _Offs) -> list[Matched]:
    currency, base = line.line.order.currency, line.line.order.company.currency
    if not parts:
        return []
    ours = amount_so_far(line.amount, currency, line.quantity - line.ahead, line.quantity)
    accrued = [Accrued(part.units, to_minor(part.amount, currency), to_minor(part.base, base)) for _, part in parts]
    differences = price_differences(to_minor(ours, currency), accrued)
    return [
        Matched(
            goods,
            part,
            from_minor(difference.amount, currency),
            from_minor(difference.cost, base),
            offs.take(goods, part.units),
        )
        for (goods, part), difference in zip(parts, differences, strict=True)
    ]


def beyond(lines: Sequence[GoodsLine]) -> list[tuple[GoodsLine, Decimal]]:
    """Lines that bill more units ahead than may still become ours, and by how many."""
    waiting = [one for one in lines if one.ahead]
    if not waiting:
        return []
    keys = {one.line.pk for one in waiting}
    expected = _expected(keys)
    found = []
    for one in waiting:
        left = max(expected[one.line.pk], ZERO)
        expected[one.line.pk] -= one.ahead
        if one.ahead > left:
            found.append((one, one.ahead - left))
    return found


def _expected(lines: Iterable[int]) -> dict[int, Decimal]:
    """Units of order lines (ids) that are not ours yet, may still come, and are not billed."""
    keys = list(lines)
    sent = Position.objects.filter(instalment__line__in=keys).values_list("instalment__line").order_by()
    found: dict[int, Decimal] = defaultdict(Decimal, sent.annotate(u=Sum(F("ordered") - F("dropped"))))
    for one in of_lines(keys):
        found[one.line] -= one.units
    bills = BillLine.objects.filter(order_line__in=keys, bill__reversed_by=None)
    for line, billed, ours in bills.values_list("order_line", "quantity").annotate(u=Sum("goods__units")):
        found[line] -= billed - (ours or ZERO)
    return found


def foreseen(lines: Sequence[GoodsLine]) -> Absorption:
    """What the differences of price do to layers; nothing is written or locked."""
    new = [(one.goods, one.cost) for line in lines for one in line.matched]
    return absorb.absorption(*price_totals({goods.part for goods, _ in new}, new), lock=False)


def write(entry: Entry, bill: Bill, lines: Sequence[tuple[GoodsLine, BillLine]]) -> list[Draft]:
    """Write what the lines bill, and what that does to the goods; returns the postings without what is owed."""
    items = OpenItem.objects.in_bulk([one.goods.item for line, _ in lines for one in line.matched])
    units: dict[Key, Decimal] = defaultdict(Decimal)
    drafts, rows = [], []
    for line, row in lines:
        of_line = []
        for one in line.matched:
            allocate(entry, items[one.goods.item], one.part.amount, one.part.base, one.part.units)
            units[one.goods.key] += one.part.units
            of_line.append(Billed(_row(row, one), one.goods.part))
        rows += [one.row for one in of_line]
        drafts += line_drafts(bill, row, of_line)
    advances.set_off(entry, units)
    billing.write_goods(rows)
    found = absorb.absorption(*price_totals({one.goods.part for line, _ in lines for one in line.matched}))
    return drafts + absorb.write(entry, found)


@dataclass(frozen=True)
class Billed:
    """Billed units of a recognition, and the shipment line (id) they are of."""

    row: BilledGoods
    part: int


def _row(row: BillLine, one: Matched) -> BilledGoods:
    return BilledGoods(
        line=row,
        units=one.part.units,
        amount=one.part.amount,
        base=one.part.base,
        difference=one.difference,
        difference_base=one.cost,
        advance=one.advance.amount,
        advance_base=one.advance.base,
        **{f"{one.goods.kind}_id": one.goods.document},
    )


def line_owed(bill: Bill, row: BillLine, billed: Sequence[Billed]) -> tuple[Decimal, Decimal]:
    """What is owed by a line of goods after advances, in the bill's currency and in base."""
    base = bill.company.currency
    ours = sum((one.row.amount + one.row.difference for one in billed), ZERO)
    owed = ours - sum((one.row.advance for one in billed), ZERO)
    return owed + row.amount - ours, converted(owed, bill.rate, base) + converted(row.amount - ours, bill.rate, base)


def line_drafts(bill: Bill, row: BillLine, billed: Sequence[Billed], sign: int = 1) -> list[Draft]:
    """The postings of a line of goods as it was booked, or (sign -1) undone, but for what is owed by it."""
    common = {"company": bill.company_id, "order_line": row.order_line_id}
    foreign = common | {"foreign_currency": bill.currency, "party": bill.party_id}
    order = row.order_line.order_id
    drafts, ours, known = [], ZERO, ZERO
    for one in billed:
        goods = one.row
        kind, document = goods.key
        ours += goods.amount + goods.difference
        known += goods.base + goods.difference_base - goods.advance_base
        drafts.append(
            Draft(
                account=Account.OWNED_NOT_BILLED,
                amount=sign * goods.base,
                foreign_amount=sign * goods.amount,
                document_kind=kind,
                document=document,
                **foreign,
            )
        )
        drafts.append(
            Draft(
                account=Account.OWNED_AFLOAT,
                amount=sign * goods.difference_base,
                document_kind=DocumentKind.SHIPMENT_LINE,
                document=one.part,
                **common,
            )
        )
        drafts.append(
            Draft(
                account=Account.ADVANCES,
                amount=-sign * goods.advance_base,
                foreign_amount=-sign * goods.advance,
                document_kind=DocumentKind.ORDER,
                document=order,
                **foreign,
            )
        )
    ahead_amount = row.amount - ours
    waiting = converted(ahead_amount, bill.rate, bill.company.currency)
    drafts.append(ahead.waiting_draft(row, sign * ahead_amount, sign * waiting, bill.rate))
    owed = line_owed(bill, row, billed)[1] - waiting
    drafts.append(Draft(account=Account.EXCHANGE, amount=sign * (owed - known), **common))
    return drafts


def booked(bill: Bill) -> list[tuple[BillLine, list[Billed], list[Billed]]]:
    """The lines of goods of a bill: what was ours when it was booked, and what became ours since."""
    lines = bill.lines.filter(order_line__isnull=False).select_related("order_line__order").order_by("number")
    rows: dict[int, list[Billed]] = defaultdict(list)
    for row in BilledGoods.objects.filter(line__bill=bill).select_related("receipt_line").order_by("pk"):
        part = row.shipment_line_id or row.receipt_line.shipment_line_id
        rows[row.line_id].append(Billed(row, part))
    found = []
    for line in lines:
        line.bill = bill
        then = [one for one in rows[line.pk] if one.row.waited_base is None]
        found.append((line, then, [one for one in rows[line.pk] if one.row.waited_base is not None]))
    return found


def undo(entry: Entry, bill: Bill) -> list[Draft]:
    """The counter-postings of a bill's goods, which are ours and not billed again; the bill is marked as reversed.

    What is owed by it is not among them.
    """
    drafts, parts = [], set()
    for line, then, since in booked(bill):
        drafts += line_drafts(bill, line, then, -1)
        for one in since:
            drafts += ahead.drafts(*one.row.key, ahead.part_of(line, one.row), -1)
        parts |= {one.part for one in [*then, *since]}
        _take_back(entry, [*then, *since])
    advances.take_up_again(entry, bill.entry)
    found = absorb.absorption(*price_totals(parts)) if parts else Absorption()
    return drafts + absorb.write(entry, found)


def _take_back(entry: Entry, billed: Sequence[Billed]) -> None:
    """The goods are open again for another bill."""
    rows = [one.row for one in billed]
    keys = {document for _, document in (row.key for row in rows)}
    items = {
        (one.document_kind, one.document): one
        for one in OpenItem.objects.filter(account=Account.OWNED_NOT_BILLED, document__any_of=list(keys))
    }
    for row in rows:
        allocate(entry, items[row.key], -row.amount, -row.base, -row.units)
