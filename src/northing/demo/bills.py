"""Bills and payments of the demo world: one in dispute, one that waits for approval, one paid, an advance."""

from dataclasses import replace
from datetime import timedelta
from decimal import Decimal

from northing.actions.billing.bills import book_bill
from northing.actions.billing.keep import KeepRequest, keep_bill
from northing.actions.billing.request import BillLineRequest, BillRequest
from northing.actions.payments.ask import ask_payment
from northing.actions.payments.pay import pay
from northing.actions.payments.request import PartRequest, PayRequest
from northing.demo.hand import Hand
from northing.masterdata.models import Company
from northing.orders.models import PurchaseOrder
from northing.reports.billable import Billable, Start, billable

D = Decimal
MOST = D(10_000)


def lay_bills(world: Hand) -> None:
    """What accounts did in the last days; the rest of what is ours waits to be billed."""
    lines = _unbilled("DAL", world)
    if lines:
        _in_dispute(world, lines)
    tea = _unbilled("OZU", world) or _unbilled("AMB", world)
    if tea:
        _paid(world, tea)
    Company.objects.filter(code="KLN").update(bill_approval_above=MOST)
    large = _unbilled("QIN", world) or _unbilled("TRE", world)
    if large:
        _waits_for_approval(world, large)
    _in_advance(world)
    _waits_for_goods(world)


def _unbilled(supplier: str, world: Hand) -> list[Billable]:
    """The lines of the first order of a supplier of which something is ours and not billed."""
    found = billable(Start(supplier=world.parties[supplier].pk), [world.companies["KLN"].pk])
    first = next((one.line.order_id for one in found if one.proposed), None)
    return [one for one in found if one.line.order_id == first and one.proposed]


def _bill(world: Hand, lines: list[Billable], number: str, days: int, *more: BillLineRequest) -> BillRequest:
    order = lines[0].line.order
    day = world.today + timedelta(days=days)
    goods = [BillLineRequest(order_line=one.line.pk, quantity=one.proposed, price=one.price) for one in lines]
    return BillRequest(order.company_id, order.supplier_id, number, day, order.currency, (*goods, *more))


def _in_dispute(world: Hand, lines: list[Billable]) -> None:
    """Paper infusers are billed above the agreed price, which is in dispute."""
    asked = _bill(world, lines, "DL-7720", -6)
    first = replace(asked.lines[0], price=lines[0].price * D("1.05"), decision="dispute")
    book_bill(world.act("maris", -6), replace(asked, lines=(first, *asked.lines[1:])))


def _paid(world: Hand, lines: list[Billable]) -> None:
    """A bill with freight, paid in two parts at two rates."""
    freight = BillLineRequest(D("42000"), kind="freight", basis="weight")
    key = book_bill(world.act("maris", -12), _bill(world, lines, "OZ-2291", -12, freight))
    order = lines[0].line.order
    for days, share in ((-8, D("0.5")), (-2, D("0.25"))):
        amount = round(sum(one.amount for one in lines) * share)
        day = world.today + timedelta(days=days)
        part = (PartRequest(amount, bill=key),)
        pay(world.act("maris", days), PayRequest(order.company_id, order.supplier_id, day, order.currency, part))
    _credited(world, lines)
    rest = (PartRequest(Decimal(42_000), bill=key),)
    asked = PayRequest(order.company_id, order.supplier_id, world.today, order.currency, rest)
    ask_payment(world.act("maris", 0), asked)


def _credited(world: Hand, lines: list[Billable]) -> None:
    """The supplier gives back a part of the price of a damp chest; the credit note is still open."""
    order, day = lines[0].line.order, world.today - timedelta(days=1)
    line = BillLineRequest(round(lines[0].amount / 50), order_line=lines[0].line.pk)
    head = (order.company_id, order.supplier_id, "OZ-C118", day, order.currency)
    book_bill(world.act("maris", -1), BillRequest(*head, (line,), kind="credit"))


def _waits_for_approval(world: Hand, lines: list[Billable]) -> None:
    """A bill so large that a second person has to approve it."""
    book_bill(world.act("maris", -3), _bill(world, lines, "QM-50118", -3))


def _waits_for_goods(world: Hand) -> None:
    """A bill came before its goods, and waits for them."""
    orders = PurchaseOrder.objects.filter(supplier=world.parties["TRE"], company=world.companies["KLN"])
    order = orders.filter(sent_at__isnull=False, lines__summary__with_supplier__gt=0).order_by("-pk").first()
    if order is None:
        return
    line = order.lines.select_related("summary").filter(summary__with_supplier__gt=0).order_by("number")[0]
    goods = BillLineRequest(order_line=line.pk, quantity=line.summary.with_supplier, price=line.pack_price)
    head = (order.company_id, order.supplier_id, "TC-3306", world.today - timedelta(days=2), order.currency)
    keep_bill(world.act("maris", -2), KeepRequest(BillRequest(*head, (goods,))))


def _in_advance(world: Hand) -> None:
    """Three tenths of an open order of kettles were paid in advance."""
    orders = PurchaseOrder.objects.filter(supplier=world.parties["QIN"], company=world.companies["KLN"])
    open_orders = orders.filter(sent_at__isnull=False, lines__summary__with_supplier__gt=0).order_by("-pk")
    order = open_orders.first()
    if order is None:
        return
    worth = sum(one.summary.value for one in order.lines.select_related("summary"))
    day = world.today - timedelta(days=5)
    part = (PartRequest(round(worth * D("0.3"), 2), order=order.pk),)
    pay(world.act("maris", -5), PayRequest(order.company_id, order.supplier_id, day, order.currency, part))
