"""Expected deliveries follow every fact: packed, unpacked, planned, received, taken back."""

from datetime import timedelta

from northing.actions.receiving import reverse as reversing
from northing.actions.reversal import ReverseRequest
from northing.actions.worklist import proof
from northing.actions.worklist.deliveries import delivery_faults
from northing.receiving.models import Receipt
from northing.worklist.models import ExpectedDelivery
from tests.worlds import TODAY, D


def stands():
    """Container or order, day, lines of each."""
    assert delivery_faults() == []
    rows = ExpectedDelivery.objects.order_by("pk")
    return [(str(one.container or one.order), one.expected_on, one.lines) for one in rows]


def test_an_order_comes_unpacked_until_it_is_packed(world):
    order = world.sent_order({"A": D(240), "C": D(10)})
    unpacked = ExpectedDelivery.objects.get()
    assert (unpacked.order, unpacked.container, unpacked.site, unpacked.lines) == (order, None, order.site, 2)
    assert unpacked.need_by == min(line.need_by for line in order.lines.all())
    box = world.shipment([order]).containers.get()
    assert [row[0] for row in stands()] == [box.number] and stands()[0][2] == 2


def test_it_goes_as_it_is_received_and_comes_back_with_the_reversal(world):
    shipment = world.shipment([world.sent_order({"A": D(240)})])
    before = stands()
    assert len(before) == 1
    world.receive(shipment, {"A": D(100)})
    assert stands() == before
    world.receive(shipment, {"A": D(140)})
    assert stands() == []
    for receipt in Receipt.objects.order_by("-pk"):
        reversing.reverse_receipt(world.act("dock"), ReverseRequest(receipt.pk, "wrong"))
    assert [row[0] for row in stands()] == [before[0][0]]


def test_a_day_that_moves_moves_it(world):
    shipment = world.shipment([world.sent_order({"A": D(240)})])
    world.say(shipment, "arrival", TODAY + timedelta(days=40), "estimated")
    shipment.refresh_from_db()
    assert [row[1] for row in stands()] == [shipment.expected_dock] and shipment.expected_dock


def test_what_is_wrong_is_found_and_mended(world):
    world.sent_order({"A": D(240)})
    ExpectedDelivery.objects.update(lines=7)
    assert len(proof.move_faults()) == 2
    proof.move_faults(mend=True)
    assert proof.move_faults() == []
    ExpectedDelivery.objects.all().delete()
    assert len(proof.move_faults(mend=True)) == 1 and stands()
