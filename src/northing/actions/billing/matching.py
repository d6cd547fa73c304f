"""The lines of a supplier's bill beside the goods that they bill; nothing is written.

Units that are ours and not billed come first, the oldest of them first; what is left over is billed ahead.
"""

from collections import defaultdict
from collections.abc import Iterable, Sequence
from dataclasses import dataclass, field, replace
from decimal import Decimal

from django.db.models import F, Sum

from northing.actions.billing.request import BillLineRequest, BillRequest
from northing.actions.costing import advances
from northing.actions.costing.recognitions import Key, Part, Recognition, of_lines
from northing.billing.models import Bill, BillLine
from northing.claims.queries import rejected_units
from northing.core.billing.settle import Accrued, oldest_first, price_differences
from northing.core.money.money import from_minor, is_whole, to_minor
from northing.core.money.spread import amount_so_far
from northing.core.orders.orders import net_amount
from northing.core.problems import Problem, Refused
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
    # Units of it that are rejected and have no end yet.
    rejected: Decimal = ZERO
    # What those units set off of the order's advances.
    ahead_advance: Advance = Advance()

    @property
    def agreed(self) -> Decimal:
        """What its units cost by agreement: those that are ours as they became ours, the rest by the order."""
        ours = sum((one.part.amount for one in self.matched), ZERO)
        order = self.line
        return ours + net_amount(self.ahead, order.pack_factor, *self.order_price, order.order.currency)

    @property
    def ahead_amount(self) -> Decimal:
        """The part of its amount for units that are not ours."""
        return self.amount - sum((one.part.amount + one.difference for one in self.matched), ZERO)

    @property
    def above(self) -> Decimal:
        """How much it is above what was agreed, in the bill's currency; below it, a negative amount."""
        return self.amount - self.agreed

    @property
    def held_back(self) -> Decimal:
        """What a dispute holds back: what is above the agreed price, and the price of units that are rejected."""
        rejected = net_amount(self.rejected, self.line.pack_factor, self.price, ONE, self.line.order.currency)
        return min(max(self.above, ZERO) + rejected, self.amount)

    @property
    def advance(self) -> Advance:
        """The advances that it sets off."""
        amounts = [one.advance for one in self.matched] + [self.ahead_advance]
        return Advance(sum((one.amount for one in amounts), ZERO), sum((one.base for one in amounts), ZERO))


def goods_lines(request: BillRequest, *, lock: bool = False) -> list[GoodsLine]:
    """The lines of goods with what they bill. Raises Refused with everything that is wrong with them.

    With `lock` the orders are locked first, so that two people never bill the same units.
    """
    asked = [(one.where or f"line-{number}", one) for number, one in enumerate(request.lines) if one.order_line]
    if request.kind == Bill.Kind.CREDIT or not asked:
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
    _name_rejected(lines, ours)
    offs = _Offs(billed)
    for line, parts in taken:
        line.matched = _with_differences(line, parts, offs)
    _set_off_ahead([line for line in lines if line.ahead])


def _name_rejected(lines: Sequence[GoodsLine], left: dict[int, list[Recognition]]) -> None:
    """Units that are rejected are billed last; `left` is what is not billed after these lines."""
    rejected = rejected_units(left)
    for line in reversed(lines):
        units = rejected.get(line.line.pk, ZERO)
        if units:
            spare = sum((one.open_units for one in left[line.line.pk]), ZERO)
            line.rejected = max(min(units - spare, line.quantity - line.ahead), ZERO)
            rejected[line.line.pk] = units - spare - line.rejected if units > spare else ZERO
            left[line.line.pk] = []


def _set_off_ahead(lines: Sequence[GoodsLine]) -> None:
    """Units that are not ours set off their part of the open advances, as if they became ours now."""
    pool = advances.Pool({line.line.order_id for line in lines})
    for line in lines:
        order = line.line.order
        price = net_amount(line.ahead, line.line.pack_factor, *line.order_price, order.currency)
        line.ahead_advance = pool.reserve(order.pk, price, most=line.ahead_amount)


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
