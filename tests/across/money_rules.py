"""Random actions of accounts: suppliers' bills of goods, advances, payments, and all of them taken back."""

from decimal import Decimal as D

from hypothesis import strategies as some
from hypothesis.stateful import rule

from northing.actions.billing import bills
from northing.actions.billing.request import BillLineRequest, BillRequest
from northing.actions.payments import pay as paying
from northing.actions.reversal import ReverseRequest
from northing.billing.models import Bill
from northing.orders.models import PurchaseOrder
from northing.payments.models import Payment
from northing.worklist.models import LineSummary
from tests.worlds import TODAY

PICK = some.integers(0, 20)
RATES = some.sampled_from([None, "1.5", "1.61803", "1.7033"])


def rate_of(text):
    """A rate of a rule, or none of its own."""
    return D(text) if text else None


class MoneyRules:
    """Mixed into a machine whose world has orders of A, B and C."""

    @rule(
        pick=some.integers(0, 3),
        units=some.integers(0, 70),
        cents=some.integers(-300, 400),
        freight=some.sampled_from([0, 0, 4000, -150]),
        rate=RATES,
    )
    def bill_goods(self, pick, units, cents, freight, rate):
        """What is ours of a line, or so many units of it, at another price; perhaps with freight or a discount."""
        self.done += 1
        part = self.parts[pick]
        order = part.line.order
        ours = LineSummary.objects.get(line=part.line).unbilled
        price = max(part.pack_price + D(cents).scaleb(-2), D(0))
        lines = [BillLineRequest(order_line=part.line_id, quantity=D(units) or ours, price=price)]
        if freight:
            kind = "freight" if freight > 0 else "discount"
            lines.append(BillLineRequest(D(freight).scaleb(-2), kind=kind, basis="value"))
        head = (order.company_id, order.supplier_id, f"bill {self.done}", TODAY, order.currency)
        request = BillRequest(*head, tuple(lines), rate=rate_of(rate), accept=True)
        self.attempt(bills.book_bill, "costs", request)

    @rule(pick=some.integers(0, 2), cents=some.integers(1, 60_000), rate=RATES)
    def pay_in_advance(self, pick, cents, rate):
        order = self.one(PurchaseOrder.objects.all(), pick)
        parts = (paying.PartRequest(D(cents).scaleb(-2), order=order.pk),)
        head = (order.company_id, order.supplier_id, TODAY, order.currency, parts)
        self.attempt(paying.pay, "accounts", paying.PayRequest(*head, rate=rate_of(rate)))

    @rule(pick=PICK, share=some.sampled_from([30, 50, 100]), discount=some.integers(0, 200), rate=RATES)
    def pay_a_bill(self, pick, share, discount, rate):
        bill = self.one(Bill.objects.filter(reversed_by=None, kind="bill"), pick)
        if bill:
            paid = paying.paid_of([bill.pk]).get(bill.pk)
            left = bill.owed - (paid.amount if paid else 0)
            taken = min(D(discount).scaleb(-2), left)
            amount = round((left - taken) * share / 100, 2)
            parts = (paying.PartRequest(amount, bill=bill.pk, discount=taken),)
            head = (bill.company_id, bill.party_id, TODAY, bill.currency, parts)
            request = paying.PayRequest(*head, rate=None if bill.currency == "NZD" else rate_of(rate))
            self.attempt(paying.pay, "accounts", request)

    @rule(pick=PICK)
    def reverse_a_payment(self, pick):
        payment = self.one(Payment.objects.filter(reversed_by=None), pick)
        if payment:
            self.attempt(paying.reverse_payment, "accounts", ReverseRequest(payment.pk, "paid twice"))
