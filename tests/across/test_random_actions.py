"""Random actions in any order: every unit is somewhere, and the books explain themselves."""

import os
from dataclasses import replace
from decimal import Decimal as D

from django.db import transaction
from hypothesis import strategies as some
from hypothesis.stateful import initialize, rule

from northing.actions.billing import bills
from northing.actions.billing.request import BillLineRequest, BillRequest, of_one
from northing.actions.claims import returns
from northing.actions.costing import charges
from northing.actions.customs import entries
from northing.actions.customs.covers import Covers
from northing.actions.inventory import issue as issuing
from northing.actions.inventory.move import MoveRequest, move_goods
from northing.actions.orders import cancel
from northing.actions.quality import inspect as inspecting
from northing.actions.quality import reverse as unsaying
from northing.actions.receiving import receive as receiving
from northing.actions.receiving import reverse as reversing
from northing.actions.reversal import ReverseRequest
from northing.actions.shipping import load
from northing.actions.shipping import pack as packing
from northing.actions.worklist.deliveries import delivery_faults
from northing.billing.models import Bill
from northing.claims.models import Claim, ReturnNote
from northing.core.problems import Refused
from northing.customs.models import CustomsEntry
from northing.inventory.models import OnHand, StockIssue
from northing.inventory.queries import stock_faults
from northing.ledger.models import CostLayer
from northing.masterdata.models import Bin, Item, Party
from northing.orders.models import Instalment
from northing.quality.models import Inspection
from northing.receiving.models import Receipt
from northing.reports.book_proof import book_faults
from northing.reports.proofs import position_faults
from northing.shipping.models import Container, Shipment, ShipmentLine
from tests.across.dock_rules import DockRules
from tests.across.machine import Machine, run
from tests.across.money_rules import MoneyRules
from tests.worlds import CONTAINERS, TODAY, out_of, small_world

EXAMPLES = int(os.environ.get("NORTHING_EXAMPLES", "12"))
MOMENTS = ["pickup", "on_board", "arrival", "receipt"]
PORTIONS = some.sampled_from([0, 10, 35, 50, 100, 100, 108])
COUNTS = some.integers(0, 70)


class Actions(DockRules, MoneyRules, Machine):
    """Two items of two suppliers and two companies, two shipments, and everything that can be done to them."""

    @initialize(
        ours_from=some.sampled_from(["pickup", "on_board", "arrival", "receipt"]),
        tax=some.sampled_from(["0", "0.6", "1"]),
    )
    def begin(self, ours_from, tax):
        self.mark = transaction.savepoint()
        self.done = 0
        world = self.world
        Item.objects.filter(code="B").update(inspected=True)
        world.nz.import_tax_reclaimed = D(tax)
        world.nz.under_tolerance = 10
        world.nz.save()
        world.parties["USD"].__class__.objects.update(over_tolerance=10)
        other = Party.objects.create(
            kind="provider", code="OTHER", name="Another forwarder", currency="EUR", country="NZ"
        )
        self.payees = [world.parties["provider"].pk, other.pk]
        orders = [
            world.sent_order({"A": D(60), "C": D(90)}, ours_from=ours_from),
            world.sent_order({"B": D(50)}),
            world.sent_order({"C": D(40)}, company=world.au),
        ]
        self.parts = list(Instalment.objects.filter(line__order__in=orders).order_by("pk"))
        self.boxes = []
        for number in CONTAINERS:
            key = packing.create_shipment(world.act("shipping"), packing.ShipmentRequest())
            self.boxes.append(
                packing.add_container(world.act("shipping"), packing.ContainerRequest(key, number, "22G1"))
            )
            plan = packing.LegPlan("sea", "CNNGB", "NZTRG", TODAY, TODAY, True)
            packing.plan_passage(world.act("shipping"), packing.PassageRequest(key, None, (plan,)))
        # Most of it is aboard from the start, so that most actions find something to do.
        for box, portions in zip(self.boxes, ([60, 50, 50, 10], [0, 30, 0, 30]), strict=True):
            rows = tuple((part.pk, D(portion)) for part, portion in zip(self.parts, portions, strict=True))
            packing.stow(world.act("shipping"), packing.StowRequest(box, rows))

    @rule(part=some.integers(0, 3), box=some.integers(0, 1), quantity=COUNTS)
    def pack(self, part, box, quantity):
        rows = ((self.parts[part].pk, D(quantity)),)
        self.attempt(packing.stow, "shipping", packing.StowRequest(self.boxes[box], rows))

    @rule(pick=some.integers(0, 20))
    def take_out(self, pick):
        part = self.one(ShipmentLine.objects.filter(container__isnull=False), pick)
        if part:
            self.attempt(load.load, "shipping", out_of(part))

    @rule(box=some.integers(0, 1), milestone=some.sampled_from(["departure", "arrival"]))
    def sail(self, box, milestone):
        try:
            self.world.say(Container.objects.get(pk=self.boxes[box]).shipment, milestone)
        except Refused:
            return

    @rule(pick=some.integers(0, 20), portion=PORTIONS, still=some.integers(0, 2))
    def receive(self, pick, portion, still):
        part = self.one(ShipmentLine.objects.filter(instalment__line__order__company=self.world.nz), pick)
        if part:
            row = receiving.ReceiveRow(part.pk, (part.quantity - part.accounted) * portion // 100, still > 0)
            row = replace(row, not_there=still == 2)
            request = receiving.ReceiveRequest(part.container_id, self.world.site.pk, "DN", TODAY, (row,))
            self.attempt(receiving.receive, "dock", request)

    @rule(pick=some.integers(0, 3), units=some.integers(0, 9), more=some.integers(0, 3), still=some.booleans())
    def receive_unpacked(self, pick, units, more, still):
        part = self.parts[pick]
        if part.line.order.company_id == self.world.nz.pk:
            rows = [receiving.ReceiveRow(None, D(count), still, instalment=part.pk) for count in (units, more)]
            request = receiving.ReceiveRequest(None, self.world.site.pk, "DN", TODAY, tuple(rows))
            self.attempt(receiving.receive, "dock", request)

    @rule(pick=some.integers(0, 3))
    def stop(self, pick):
        line = self.parts[pick].line
        action = cancel.reopen if self.done % 2 else cancel.cancel
        self.attempt(action, "buyer", cancel.StopRequest(line.order_id, (line.pk,)))

    @rule(pick=some.integers(0, 20))
    def reverse(self, pick):
        receipt = self.one(Receipt.objects.filter(reversed_by=None), pick)
        if receipt:
            self.attempt(reversing.reverse_receipt, "dock", ReverseRequest(receipt.pk, "again"))

    @rule(pick=some.integers(0, 20), portion=some.sampled_from([0, 30, 80, 100]), failed=some.integers(0, 5))
    def inspect(self, pick, portion, failed):
        held = self.one(OnHand.objects.filter(status="held", quantity__gt=0), pick)
        if held:
            passed = max((held.quantity - failed) * portion // 100, D(0))
            request = inspecting.InspectRequest(held.layer_id, passed, D(failed), "chipped", TODAY)
            self.attempt(inspecting.inspect, "inspector", request)

    @rule(pick=some.integers(0, 20), quantity=some.integers(1, 4))
    def give_back(self, pick, quantity):
        case = self.one(Claim.objects.all(), pick)
        if case:
            request = returns.ReturnRequest(case.pk, D(quantity), "RMA", TODAY)
            self.attempt(returns.return_goods, "inspector", request)

    @rule(pick=some.integers(0, 20))
    def reverse_a_verdict(self, pick):
        found = self.one(Inspection.objects.filter(reversed_by=None), pick)
        if found:
            request = ReverseRequest(found.pk, "the wrong carton")
            self.attempt(unsaying.reverse_inspection, "inspector", request)

    @rule(pick=some.integers(0, 20))
    def reverse_a_return(self, pick):
        note = self.one(ReturnNote.objects.filter(reversed_by=None), pick)
        if note:
            self.attempt(returns.reverse_return, "inspector", ReverseRequest(note.pk, "never fetched"))

    @rule(pick=some.integers(0, 20), quantity=some.integers(1, 60), bin=some.integers(0, 5))
    def put_elsewhere(self, pick, quantity, bin):
        row = self.one(OnHand.objects.filter(quantity__gt=0), pick)
        bins = Bin.objects.filter(site__company=self.world.nz).order_by("pk")
        if row:
            there = bins[bin % len(bins)].pk
            request = MoveRequest(row.layer_id, row.bin_id, row.status, min(D(quantity), row.quantity), there)
            self.attempt(move_goods, "dock", request)

    @rule(code=some.sampled_from("ABC"), quantity=some.integers(1, 25))
    def issue(self, code, quantity):
        item = self.world.items[code].pk
        request = issuing.IssueRequest(self.world.site.pk, item, D(quantity), "shops", TODAY)
        self.attempt(issuing.issue_stock, "dock", request)

    @rule(pick=some.integers(0, 20))
    def take_an_issue_back(self, pick):
        issue = self.one(StockIssue.objects.filter(reversed_by=None), pick)
        if issue:
            self.attempt(issuing.take_back_issue, "dock", ReverseRequest(issue.pk, "not sold"))

    @rule(
        box=some.integers(0, 1),
        cents=some.integers(-20_000, 300_000),
        basis=some.sampled_from(["value", "weight", "volume", "quantity", "equal"]),
        bill=some.booleans(),
        currency=some.sampled_from(["NZD", "USD"]),
    )
    def charge(self, box, cents, basis, bill, currency):
        self.done += 1
        request = charges.ChargeRequest(
            company=self.world.nz.pk,
            payee=self.world.parties["provider"].pk,
            kind="haulage",
            basis=basis,
            currency=currency,
            amount=D(cents).scaleb(-2),
            day=TODAY,
            containers=(self.boxes[box],),
        )
        self.cost(request, bill)

    @rule(pick=some.integers(0, 3), cents=some.integers(1, 90_000), bill=some.booleans())
    def charge_a_line(self, pick, cents, bill):
        self.done += 1
        request = charges.ChargeRequest(
            company=self.world.nz.pk,
            payee=self.world.parties["provider"].pk,
            kind="handling",
            basis="quantity",
            currency="USD",
            amount=D(cents).scaleb(-2),
            day=TODAY,
            lines=(self.parts[pick].line_id,),
        )
        self.cost(request, bill)

    def cost(self, request, bill):
        """A bill, or an estimate."""
        if bill:
            self.attempt(bills.book_bill, "costs", of_one(request, f"bill {self.done}"))
        else:
            self.attempt(charges.enter_estimate, "costs", request)

    @rule(
        pick=some.integers(0, 20),
        cents=some.integers(1, 300_000),
        currency=some.sampled_from(["NZD", "USD", "EUR"]),
        payee=some.integers(0, 1),
        final=some.booleans(),
        kind=some.sampled_from(["bill", "bill", "credit"]),
    )
    def bill_an_estimate(self, pick, cents, currency, payee, final, kind):
        estimate = self.one(charges.Charge.objects.filter(closed_on=None), pick)
        if estimate:
            self.done += 1
            line = BillLineRequest(D(cents).scaleb(-2), estimate.pk, final=final)
            number, payer = f"bill {self.done}", self.world.nz.pk
            asked = BillRequest(payer, self.payees[payee], number, TODAY, currency, (line,), tax=D("1.50"), kind=kind)
            self.attempt(bills.book_bill, "costs", asked)

    @rule(pick=some.integers(0, 20))
    def reverse_a_bill(self, pick):
        bill = self.one(Bill.objects.filter(reversed_by=None), pick)
        if bill:
            self.attempt(bills.reverse_bill, "costs", ReverseRequest(bill.pk, "entered twice"))

    @rule(pick=some.integers(0, 20))
    def end_an_estimate(self, pick):
        estimate = self.one(charges.Charge.objects.filter(closed_on=None), pick)
        if estimate:
            self.attempt(charges.end_estimate, "costs", charges.EndRequest(estimate.pk, "never billed"))

    @rule(pick=some.integers(0, 20), correct=some.booleans())
    def clear_again(self, pick, correct):
        entry = self.one(CustomsEntry.objects.filter(reversed_by=None), pick)
        if entry and correct:
            self.done += 1
            facts = (Covers(), entry.company_id, entry.office_id, f"entry {self.done}", TODAY, entry.pk)
            self.attempt(entries.book_customs_entry, "costs", entries.EntryRequest(*facts))
        elif entry:
            request = ReverseRequest(entry.pk, "withdrawn")
            self.attempt(entries.reverse_customs_entry, "costs", request)

    @rule(box=some.integers(0, 1))
    def clear(self, box):
        self.done += 1
        shipment = Shipment.objects.get(containers=self.boxes[box])
        office = self.world.parties["customs"].pk
        request = entries.EntryRequest(Covers((shipment.pk,)), self.world.nz.pk, office, f"entry {self.done}", TODAY)
        self.attempt(entries.book_customs_entry, "costs", request)

    def prove(self):
        assert position_faults() == []
        assert book_faults() == []
        assert stock_faults() == delivery_faults() == []
        assert not [layer.pk for layer in CostLayer.objects.all() if not layer.remaining and layer.value]


def test_identity_and_books_hold_over_random_actions(db):
    run(Actions, small_world(), EXAMPLES, 24)
