"""What happens to declared goods afterwards: their receipt is reversed or corrected, or they never came."""

from northing.actions.customs import entries
from northing.actions.customs.covers import Covers
from northing.actions.receiving.receive import ReceiveRequest, ReceiveRow, receive
from northing.actions.receiving.reverse import reverse_receipt
from northing.actions.reversal import ReverseRequest
from northing.actions.worklist.proof import move_faults
from northing.customs.models import CustomsEntry, CustomsLine
from northing.ledger.models import CostLayer
from northing.orders.models import Instalment
from northing.receiving.models import Receipt
from northing.reports.book_proof import book_faults
from northing.reports.proofs import position_faults
from tests.customs.test_parts import book, come_unpacked
from tests.worlds import TODAY, D


def proved():
    return (book_faults(), move_faults(), position_faults()) == ([], [], [])


def test_a_receipt_of_declared_goods_is_reversed_and_entered_anew(world):
    come_unpacked(world)
    first = Receipt.objects.get()
    entry = book(world, Covers(receipts=(first.pk,)), "E-1")
    reverse_receipt(world.act("dock"), ReverseRequest(first.pk, "counted wrongly"))
    assert proved()
    row = ReceiveRow(None, D(8), True, instalment=Instalment.objects.get().pk)
    second = receive(world.act("dock"), ReceiveRequest(None, world.site.pk, "DN-10", TODAY, (row,)))
    assert proved()
    entries.reverse_customs_entry(world.act("costs"), ReverseRequest(entry.pk, "of ten, not of eight"))
    again = book(world, Covers(receipts=(second,)), "E-2")
    layer = CostLayer.objects.order_by("pk").last()
    assert again.lines.get().shipment_line.quantity == 8 and layer.value > again.duty and proved()
    assert CustomsEntry.objects.filter(reversed_by=None).count() == CustomsLine.objects.filter(stands=True).count() == 1
