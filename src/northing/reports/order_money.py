"""The way of an order's money: ordered, agreed, ours, billed, paid, each in the order's currency."""

from collections.abc import Sequence
from dataclasses import dataclass
from decimal import Decimal

from django.db.models import Sum

from northing.billing.models import BillLine
from northing.core.money.money import rounded
from northing.core.orders.orders import net_amount
from northing.orders.models import Instalment, PurchaseOrder
from northing.payments.queries import open_advances
from northing.receiving.models import ReceiptLine
from northing.reports.settlement import settlements
from northing.shipping.models import ShipmentLine

ZERO = Decimal(0)


@dataclass(frozen=True)
class Step:
    """One step of the way: its word, its amount, and its share of the largest, in per cent."""

    word: str
    amount: Decimal
    share: Decimal


@dataclass(frozen=True)
class OrderMoney:
    """The steps, and why one differs from the next, in words with amounts."""

    steps: Sequence[Step]
    why: Sequence[tuple[str, Decimal]]


def order_money(order: PurchaseOrder) -> OrderMoney:
    """How far an order is agreed, ours, billed and paid; of a bill of several orders each has its share."""
    ordered, agreed = _ordered(order)
    ours = _ours(order)
    billed, paid, disputed = _billed(order)
    open_advance = open_advances([order.pk]).get(order.pk)
    advance = open_advance.amount if open_advance else ZERO
    amounts = {"ordered": ordered, "agreed": agreed, "ours": ours, "billed": billed, "paid": paid + advance}
    most = max(amounts.values()) or Decimal(1)
    why = [
        ("not agreed yet", ordered - agreed),
        ("not ours yet", ordered - ours),
        ("ours, not billed yet", ours - billed),
        ("billed before it is ours, or above the agreed price", billed - ours),
        ("in dispute", disputed),
        ("paid in advance, and no goods of it are ours yet", advance),
        ("billed, not paid", billed - paid - disputed),
    ]
    steps = [Step(word, amount, max(amount, ZERO) * 100 / most) for word, amount in amounts.items()]
    return OrderMoney(steps, [(words, amount) for words, amount in why if amount > 0])


def ordered_amount(order: PurchaseOrder) -> Decimal:
    """The price of what is ordered and will come, or came."""
    return _ordered(order)[0]


def _ordered(order: PurchaseOrder) -> tuple[Decimal, Decimal]:
    """What is ordered and will come, and what of it is agreed."""
    ordered = agreed = ZERO
    for part in Instalment.objects.filter(line__order=order).select_related("line", "position"):
        dropped = part.position.dropped if hasattr(part, "position") else ZERO
        facts = (part.line.pack_factor, part.pack_price, part.net_share, order.currency)
        left = max(part.quantity - dropped, ZERO)
        ordered += net_amount(left, *facts)
        agreed += net_amount(min(part.agreed_quantity, left), *facts)
    return ordered, agreed


def _ours(order: PurchaseOrder) -> Decimal:
    afloat = ShipmentLine.objects.filter(instalment__line__order=order, goods_base__isnull=False)
    by_receipt = ReceiptLine.objects.filter(instalment__line__order=order, receipt__reversed_by=None)
    found = (afloat.aggregate(t=Sum("goods_amount"))["t"], by_receipt.aggregate(t=Sum("recognised_amount"))["t"])
    return sum((total for total in found if total), ZERO)


def _billed(order: PurchaseOrder) -> tuple[Decimal, Decimal, Decimal]:
    """What bills say of the order's goods, what of it is paid or was set off, and what is in dispute."""
    lines = BillLine.objects.filter(order_line__order=order, bill__reversed_by=None).select_related("bill")
    of_bills: dict[int, Decimal] = {}
    billed = disputed = ZERO
    bills = {}
    for line in lines:
        billed += line.bill.sign * line.amount
        disputed += line.disputed
        bills[line.bill_id] = line.bill
        of_bills[line.bill_id] = of_bills.get(line.bill_id, ZERO) + line.amount
    known = settlements(list(bills.values()))
    paid = ZERO
    for key, amount in of_bills.items():
        settled = known[key].advance + known[key].paid + known[key].discount
        paid += bills[key].sign * rounded(settled * amount / bills[key].total, order.currency)
    return billed, min(paid, billed), disputed
