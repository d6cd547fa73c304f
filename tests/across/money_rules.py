"""Random actions of accounts: suppliers' bills of goods, advances, payments, and all of them taken back."""

from dataclasses import replace
from decimal import Decimal as D

from hypothesis import strategies as some
from hypothesis.stateful import rule

from northing.actions.billing import bills
from northing.actions.billing.request import BillLineRequest, BillRequest
from northing.actions.costing.recognitions import of_lines
from northing.actions.payments import pay as paying
from northing.actions.payments.request import PartRequest, PayRequest
from northing.actions.reversal import ReverseRequest
from northing.billing.models import Bill, BilledGoods
from northing.claims.models import Claim
from northing.claims.queries import open_claims
from northing.orders.models import OrderLine, PurchaseOrder
from northing.payments.models import Payment
from northing.reports.creditable import advances_open, credits_open
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
        parts = (PartRequest(D(cents).scaleb(-2), order=order.pk),)
        head = (order.company_id, order.supplier_id, TODAY, order.currency, parts)
        self.attempt(paying.pay, "accounts", PayRequest(*head, rate=rate_of(rate)))

    @rule(pick=PICK, share=some.sampled_from([30, 50, 100]), discount=some.integers(0, 200), rate=RATES)
    def pay_a_bill(self, pick, share, discount, rate):
        bill = self.one(Bill.objects.filter(reversed_by=None, kind="bill"), pick)
        if bill:
            paid = paying.paid_of([bill.pk]).get(bill.pk)
            left = bill.owed - (paid.amount if paid else 0)
            taken = min(D(discount).scaleb(-2), left)
            amount = round((left - taken) * share / 100, 2)
            parts = (PartRequest(amount, bill=bill.pk, discount=taken),)
            head = (bill.company_id, bill.party_id, TODAY, bill.currency, parts)
            request = PayRequest(*head, rate=None if bill.currency == "NZD" else rate_of(rate))
            self.attempt(paying.pay, "accounts", request)

    @rule(pick=PICK, share=some.sampled_from([1, 7, 40]), rate=RATES)
    def credit_a_price(self, pick, share, rate):
        """So many hundredths of what is billed and ours of a line."""
        self.done += 1
        of_bills = BilledGoods.objects.filter(line__bill__reversed_by=None).values("line__order_line")
        line = self.one(OrderLine.objects.filter(pk__in=of_bills), pick)
        if line:
            billed = sum(one.billed.amount for one in of_lines([line.pk]))
            lines = (BillLineRequest(round(billed * share / 100, 2), order_line=line.pk),)
            self.attempt(bills.book_bill, "costs", self._credit(line.order, lines, rate))

    @rule(pick=PICK, share=some.sampled_from([30, 100]), rate=RATES)
    def credit_a_claim(self, pick, share, rate):
        self.done += 1
        case = self.one(Claim.objects.filter(amounts__isnull=False, withdrawn_at=None).distinct(), pick)
        if case:
            order = case.layer.shipment_line.instalment.line.order
            amount = round(open_claims([case.pk]).get((case.pk, case.supplier_id, "USD"), (D(0),))[0] * share / 100, 2)
            lines = (BillLineRequest(amount, case=case.pk),)
            self.attempt(bills.book_bill, "costs", self._credit(order, lines, rate))

    def _credit(self, order, lines, rate):
        head = (order.company_id, order.supplier_id, f"credit {self.done}", TODAY, order.currency)
        return BillRequest(*head, lines, rate=rate_of(rate), kind="credit")

    @rule(pick=PICK, share=some.sampled_from([0, 50, 100]), used=some.sampled_from([40, 100]), rate=RATES)
    def set_off(self, pick, share, used, rate):
        """A part of a bill, less credit notes and what is open in advance; perhaps nothing but those."""
        order = self.one(PurchaseOrder.objects.all(), pick)
        head = (order.company_id, order.supplier_id, order.currency)
        bill = Bill.objects.filter(company=head[0], party=head[1], currency=head[2], kind="bill", reversed_by=None)
        bill, parts = bill.order_by("pk").last(), []
        if bill and share:
            paid = paying.paid_of([bill.pk]).get(bill.pk)
            left = bill.owed - (paid.amount if paid else 0)
            parts.append(PartRequest(round(left * share / 100, 2), bill=bill.pk))
        for one in [*credits_open(*head), *advances_open(*head)]:
            which = {"bill": one.pk} if isinstance(one, Bill) else {"order": one.pk, "set_off": True}
            parts.append(PartRequest(round(one.left * used / 100, 2), **which))
        request = PayRequest(head[0], head[1], TODAY, head[2], tuple(part for part in parts if part.amount))
        self.attempt(paying.pay, "accounts", replace(request, rate=None if head[2] == "NZD" else rate_of(rate)))

    @rule(pick=PICK)
    def reverse_a_payment(self, pick):
        payment = self.one(Payment.objects.filter(reversed_by=None), pick)
        if payment:
            self.attempt(paying.reverse_payment, "accounts", ReverseRequest(payment.pk, "paid twice"))
