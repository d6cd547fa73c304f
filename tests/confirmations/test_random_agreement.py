"""Orders changed, answered, packed, cancelled, reopened in any order: units sum, agreements hold, all is told."""

import os
from datetime import timedelta
from decimal import Decimal as D

from django.db import transaction
from django.db.models import Sum
from hypothesis import strategies as some
from hypothesis.stateful import initialize, rule

from northing.actions.confirmations import answers
from northing.actions.orders import amend, cancel, revise, send, set_parts, write
from northing.actions.shipping import load
from northing.actions.shipping import pack as packing
from northing.actions.worklist import proof
from northing.activity.models import HistoryEntry
from northing.confirmations.models import Answer
from northing.core.confirmations.answers import Part
from northing.core.problems import Refused
from northing.orders.models import Instalment, OrderLine, PurchaseOrder, Revision
from northing.reports.proofs import position_faults
from northing.shipping.models import ShipmentLine
from tests.across.machine import Machine, run
from tests.worlds import CONTAINERS, TODAY, out_of, small_world

EXAMPLES = int(os.environ.get("NORTHING_EXAMPLES", "8"))
PICK, DAYS = some.integers(0, 20), some.integers(1, 60)


class Agreement(Machine):
    """One order of two lines, sent and answered as asked; then anything."""

    @initialize(agreed=some.booleans())
    def begin(self, agreed):
        self.mark, self.told = transaction.savepoint(), 0
        self.order = self.world.sent_order({"A": D(60), "C": D(90)}, agreed=agreed)
        key = packing.create_shipment(self.world.act("shipping"), packing.ShipmentRequest())
        asked = packing.ContainerRequest(key, CONTAINERS[0], "22G1")
        self.box = packing.add_container(self.world.act("shipping"), asked)
        self.told = HistoryEntry.objects.count()

    def attempt(self, action, who, request):
        """Do it; what was done is told, what was refused leaves nothing."""
        try:
            action(self.world.act(who), request)
        except Refused:
            assert HistoryEntry.objects.count() == self.told, "a refused action told a story"
            return
        now = HistoryEntry.objects.count()
        assert now > self.told, f"{action.__name__} told nothing"
        self.told = now

    def version(self):
        return PurchaseOrder.objects.values_list("version", flat=True).get(pk=self.order.pk)

    @rule(
        pick=PICK,
        quantity=some.integers(0, 130),
        dearer=some.sampled_from([None, "20", "1"]),
        remark=some.sampled_from([None, "dry", "wet"]),
    )
    def change(self, pick, quantity, dearer, remark):
        line = self.one(OrderLine.objects.filter(order=self.order), pick)
        price = line.pack_price if dearer is None else D(dearer)
        asked = revise.LineChange(line.pk, D(quantity), price, line.discount, line.need_by)
        head = () if remark is None else (("remark", remark),)
        request = revise.ChangeRequest(self.order.pk, self.version(), head, (asked,))
        self.attempt(revise.change_order, "expediter", request)

    @rule(quantity=some.integers(1, 40))
    def add(self, quantity):
        line = write.LineRequest("A", "", D(quantity))
        request = revise.ChangeRequest(self.order.pk, self.version(), (), (), (line,))
        self.attempt(revise.change_order, "expediter", request)

    @rule(pick=PICK, first=some.integers(0, 130), days=DAYS)
    def divide(self, pick, first, days):
        line = self.one(OrderLine.objects.filter(order=self.order), pick)
        free = Instalment.objects.filter(line=line, position__with_supplier__gt=0).select_related("position")
        there = sum((part.position.with_supplier for part in free), D(0))
        day = TODAY + timedelta(days=days)
        sizes = [D(min(first, there)), there - min(first, there)]
        rows = tuple(set_parts.PartRequest(None, size, day + timedelta(days=n)) for n, size in enumerate(sizes) if size)
        self.attempt(set_parts.set_parts, "expediter", set_parts.PartsRequest(line.pk, self.version(), rows))

    @rule(pick=PICK, portion=some.sampled_from([100, 100, 60, 30]), days=some.integers(0, 20), split=some.booleans())
    def answer(self, pick, portion, days, split):
        part = self.one(Instalment.objects.filter(line__order=self.order), pick)
        quantity = part.quantity * portion // 100
        day = (part.promise or part.asked_on) + timedelta(days=days)
        later = (Part(part.quantity - quantity, day + timedelta(days=9)),) if split and quantity < part.quantity else ()
        row = answers.AnswerRow(part.pk, quantity, day, part.pack_price, later)
        request = answers.AnswersRequest(self.order.pk, "R", TODAY, (row,))
        self.attempt(answers.record_answers, "expediter", request)

    @rule(pick=PICK, word=some.sampled_from(["accept", "accept", "refuse", "counter"]))
    def decide(self, pick, word):
        answer = self.one(Answer.objects.filter(outcome="open"), pick)
        if answer:
            self.attempt(answers.decide_answer, "expediter", answers.decision(answer.pk, word))

    @rule(pick=PICK, quantity=some.integers(1, 70))
    def pack(self, pick, quantity):
        part = self.one(Instalment.objects.filter(line__order=self.order), pick)
        self.attempt(packing.stow, "shipping", packing.StowRequest(self.box, ((part.pk, D(quantity)),)))

    @rule(pick=PICK)
    def take_out(self, pick):
        part = self.one(ShipmentLine.objects.all(), pick)
        if part:
            self.attempt(load.load, "shipping", out_of(part))

    @rule(pick=PICK, whole=some.booleans(), action=some.sampled_from([cancel.cancel, cancel.reopen]))
    def stop(self, pick, whole, action):
        line = self.one(OrderLine.objects.filter(order=self.order), pick)
        self.attempt(action, "expediter", cancel.StopRequest(self.order.pk, () if whole else (line.pk,)))

    @rule()
    def take_back_and_send_again(self):
        self.attempt(cancel.take_back, "expediter", cancel.StopRequest(self.order.pk))
        whole = send.OrderAct(self.order.pk)
        self.attempt(send.check_order, "expediter", whole)
        self.attempt(send.approve_order, "approver", whole)
        self.attempt(send.send_order, "expediter", whole)

    @rule(pick=PICK, days=some.integers(0, 200))
    def need(self, pick, days):
        line = self.one(OrderLine.objects.filter(order=self.order), pick)
        request = amend.NeedByRequest(line.pk, TODAY + timedelta(days=days))
        self.attempt(amend.set_need_by, "expediter", request)

    def prove_at_the_end(self):
        assert proof.move_faults() == []

    def prove(self):
        assert position_faults() == []
        order = PurchaseOrder.objects.get(pk=self.order.pk)
        for line in order.lines.annotate(asked=Sum("instalments__quantity")):
            if order.sent_at:
                assert line.asked == line.quantity, "the instalments do not sum to the line"
        for part in Instalment.objects.select_related("position"):
            assert 0 <= part.agreed_quantity <= part.quantity == part.position.ordered
            assert (part.promise is None) <= (part.agreed_quantity == 0), "agreed without a promise"
        if order.sent_at:
            assert Revision.objects.filter(order=order).count() == order.revision
        shared = HistoryEntry.objects.filter(links__kind="order", links__record=order.pk).distinct().count()
        assert shared <= self.told


def test_orders_hold_together_whatever_is_done_to_them(db):
    run(Agreement, small_world(), EXAMPLES, 20)
