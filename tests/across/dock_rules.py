"""Random actions of the dock: goods without an order and their ends, what is short beyond tolerance, counts."""

from decimal import Decimal as D

from hypothesis import strategies as some
from hypothesis.stateful import rule

from northing.actions.inventory import adjust
from northing.actions.inventory.move import MoveRequest, MovesRequest, move_together
from northing.actions.inventory.put_away import PutAwayRequest, put_away
from northing.actions.inventory.transfer import ArrivedRow, ArriveRequest, SendRequest, arrive_goods, send_goods
from northing.actions.inventory.undo_move import undo_move
from northing.actions.receiving import answer_short, held_goods, tie
from northing.actions.receiving.receive import ReceiveRequest, ReceiveRow, receive
from northing.actions.reversal import ReverseRequest
from northing.inventory.models import BinMove, OnHand, StockCount, TransferLine
from northing.masterdata.models import Bin, Site
from northing.orders.models import OrderLine
from northing.receiving.models import HeldDecision, Receipt, ReceiptLine, ShortQuestion
from tests.worlds import TODAY

PICK = some.integers(0, 20)


class DockRules:
    """Mixed into a machine whose world has orders of A, B and C."""

    @rule(code=some.sampled_from("AB"), units=some.integers(1, 9), short=some.integers(0, 4), pick=some.integers(0, 3))
    def receive_without_order(self, code, units, short, pick):
        """An item alone, or beside a line that is short, in dispute, or more than allowed."""
        part = self.parts[pick]
        rows = [ReceiveRow(None, D(units), item=self.world.items[code].pk)]
        if short and part.line.order.company_id == self.world.nz.pk:
            said = {"still_coming": None if short > 2 else False, "in_dispute": short == 3, "hold": short == 4}
            quantity = D(0) if short < 3 else D(120)
            rows.append(ReceiveRow(None, quantity if short == 4 else D(units), instalment=part.pk, **said))
        supplier = self.world.parties["USD"].pk
        head = (None, self.world.site.pk, "DN", TODAY, tuple(rows))
        self.attempt(receive, "dock", ReceiveRequest(*head, supplier=supplier, reason="by telephone"))

    @rule(pick=PICK, line=PICK, units=some.sampled_from([None, 2, 5]))
    def tie(self, pick, line, units):
        held = Receipt.objects.filter(lines__in=ReceiptLine.objects.exclude(why="")).distinct()
        receipt, of = self.one(held, pick), self.one(OrderLine.objects.filter(order__company=self.world.nz), line)
        if receipt:
            request = tie.TieRequest(receipt.pk, of.pk, TODAY, None if units is None else D(units))
            self.attempt(tie.tie, "expediter", request)

    @rule(pick=PICK, way=some.sampled_from(["sent back", "kept"]), units=some.integers(1, 4))
    def end_held_goods(self, pick, way, units):
        row = self.one(OnHand.objects.filter(quantity__gt=0).exclude(layer__receipt_line__why=""), pick)
        if row:
            request = held_goods.EndRequest(row.layer_id, way, D(units), "R", TODAY)
            self.attempt(held_goods.end_held_goods, "expediter", request)

    @rule(pick=PICK)
    def reverse_an_end(self, pick):
        decision = self.one(HeldDecision.objects.filter(reversed_by=None), pick)
        if decision:
            self.attempt(held_goods.reverse_end, "expediter", ReverseRequest(decision.pk, "again"))

    @rule(pick=PICK, no_more=some.booleans())
    def answer_what_is_short(self, pick, no_more):
        question = self.one(ShortQuestion.objects.filter(answer=""), pick)
        if question:
            self.attempt(answer_short.answer_short, "expediter", answer_short.ShortAnswer(question.pk, no_more))

    @rule(code=some.sampled_from("ABC"), bin=some.integers(0, 5), counted=some.integers(0, 70))
    def count(self, code, bin, counted):
        bins = Bin.objects.filter(site__company=self.world.nz).order_by("pk")
        item, there = self.world.items[code].pk, bins[bin % len(bins)].pk
        self.attempt(adjust.adjust_stock, "dock", adjust.AdjustRequest(there, item, "", D(counted), "found", TODAY))

    @rule(pick=PICK)
    def reverse_a_count(self, pick):
        count = self.one(StockCount.objects.filter(reversed_by=None), pick)
        if count:
            self.attempt(adjust.reverse_adjustment, "dock", ReverseRequest(count.pk, "again"))

    @rule(pick=PICK, bin=some.integers(0, 8), units=some.integers(1, 40), way=some.sampled_from(["put", "move"]))
    def put_into_another_bin(self, pick, bin, units, way):
        row, bins = self.one(OnHand.objects.filter(quantity__gt=0), pick), Bin.objects.order_by("pk")
        if row:
            said = (row.layer_id, row.bin_id, row.status, D(units), bins[bin % len(bins)].pk)
            asked = (MoveRequest(*said, reason="as it came"),)
            if way == "put":
                self.attempt(put_away, "dock", PutAwayRequest(asked))
            else:
                self.attempt(move_together, "dock", MovesRequest(asked))

    @rule(pick=PICK, units=some.integers(1, 40))
    def send_to_another_site(self, pick, units):
        row = self.one(OnHand.objects.filter(quantity__gt=0), pick)
        if row:
            north, made = Site.objects.get_or_create(code="NTH", defaults={"company": self.world.nz, "name": "North"})
            if made:
                Bin.objects.create(site=north, code="N-DOCK", purpose="dock")
            asked = (MoveRequest(row.layer_id, row.bin_id, row.status, D(units), 0),)
            self.attempt(send_goods, "dock", SendRequest(north.pk, asked, TODAY))

    @rule(pick=PICK, units=some.integers(1, 40), back=some.booleans())
    def come_in(self, pick, units, back):
        line = self.one(TransferLine.objects.all(), pick)
        if line:
            asked = ArriveRequest(line.transfer_id, (ArrivedRow(line.pk, D(units)),), back)
            self.attempt(arrive_goods, "dock", asked)

    @rule(pick=PICK)
    def undo_a_move(self, pick):
        move = self.one(BinMove.objects.filter(undone_by=None), pick)
        if move:
            self.attempt(undo_move, "dock", ReverseRequest(move.pk, "again"))
