"""Goods that are still coming though their container is empty: with the supplier again, in the books as well."""

from decimal import Decimal as D

import pytest
from django.urls import reverse

from northing.actions.receiving import receive as receiving
from northing.actions.receiving import reverse as reversing
from northing.actions.reversal import ReverseRequest
from northing.actions.shipping import load, pack
from northing.core.problems import Refused
from northing.costing.models import ChargeShare
from northing.ledger.models import Account, CostLayer
from northing.positions.models import Position
from northing.receiving.models import Receipt, ReceiptLine
from northing.reports.book_proof import book_faults
from northing.shipping.models import ShipmentLine
from northing.worklist.models import LineSummary
from tests.across.test_worked_case import balance, not_billed
from tests.worlds import CONTAINERS, TODAY, out_of


def landed(world, quantity=240, ours_from="on_board"):
    shipment = world.shipment([world.sent_order({"A": D(quantity)}, ours_from=ours_from)])
    world.say(shipment, "departure")
    world.say(shipment, "arrival")
    return shipment


def position():
    return Position.objects.get(instalment__line__item__code="A")


def undo(world):
    reversing.reverse_receipt(world.act("dock"), ReverseRequest(Receipt.objects.latest("pk").pk, "miscounted"))


# 240 at USD 18.40 and 1.6420 are 7,251.07; the 100 that did not come are 3,021.28 of that.
@pytest.mark.parametrize("ours_from", ["on_board", "arrival", "receipt"])
def test_they_are_with_the_supplier_and_owed_no_more(world, ours_from):
    shipment = landed(world, ours_from=ours_from)
    world.receive(shipment, {"A": D(140)}, not_there=True)
    at = position()
    assert (at.in_store, at.landed, at.with_supplier) == (140, 0, 100)
    assert not_billed("A") == (D("-2576.00"), D("-4229.79"))
    assert (balance(Account.STOCK), balance(Account.OWNED_AFLOAT)) == (D("4229.79"), 0)
    line = LineSummary.objects.get(item__code="A")
    assert (line.outstanding, line.unbilled, line.party) == (100, 140, "supplier")
    assert not shipment.containers.filter(shipment_lines__accounted__lt=1).exists()
    assert "100 units still to come from the supplier" in Receipt.objects.get().entry.text


def test_they_can_be_packed_again_and_then_the_receipt_stands(world):
    shipment = landed(world)
    world.receive(shipment, {"A": D(140)}, not_there=True)
    again = pack_again(world, position().instalment_id, 100)
    with pytest.raises(Refused, match="100 pc of A that were still coming are on their way again"):
        undo(world)
    load.load(world.act("shipping"), out_of(ShipmentLine.objects.get(container__shipment=again)))
    undo(world)
    at = position()
    assert (at.landed, at.with_supplier, at.in_store) == (240, 0, 0)
    assert balance(Account.OWNED_AFLOAT) == D("7251.07") and not_billed("A") == (D("-4416.00"), D("-7251.07"))
    assert ShipmentLine.objects.get().quantity == 240 and book_faults() == []


def pack_again(world, instalment, quantity):
    act = world.act("shipping")
    shipment = pack.create_shipment(act, pack.ShipmentRequest())
    box = pack.add_container(act, pack.ContainerRequest(shipment, CONTAINERS[1], "22G1"))
    pack.stow(act, pack.StowRequest(box, ((instalment, D(quantity)),)))
    return shipment


def test_where_nothing_came_a_bill_lies_on_the_line_until_it_comes(world):
    shipment = landed(world)
    world.charge(shipment, "freight", "240.00", "NZD", "value")
    world.receive(shipment, {"A": D(0)}, not_there=True)
    assert (position().with_supplier, CostLayer.objects.count()) == (240, 0)
    assert balance(Account.OWNED_AFLOAT) == balance(Account.OWNED_NOT_BILLED) == 0
    assert balance(Account.ACCRUED_CHARGES) == D("240.00")
    share = ChargeShare.objects.get()
    assert (share.shipment_line, share.amount) == (None, D("240.00"))
    unpacked(world, 60)
    assert balance(Account.ACCRUED_CHARGES) == D("180.00"), "60 of 240 bear their part of it"
    undo(world)
    undo_first = Receipt.objects.get(reversed_by=None)
    reversing.reverse_receipt(world.act("dock"), ReverseRequest(undo_first.pk, "they were there"))
    share.refresh_from_db()
    assert share.shipment_line == ShipmentLine.objects.get(container__isnull=False)
    world.receive(shipment, {"A": D(240)})
    assert (balance(Account.ACCRUED_CHARGES), balance(Account.STOCK)) == (0, D("7491.07"))


def unpacked(world, quantity):
    row = receiving.ReceiveRow(None, D(quantity), True, instalment=position().instalment_id)
    receiving.receive(world.act("dock"), receiving.ReceiveRequest(None, world.site.pk, "DN-2", TODAY, (row,)))


def test_a_later_part_and_missing_units_add_up(world):
    shipment = landed(world)
    world.receive(shipment, {"A": D(77)})
    world.receive(shipment, {"A": D(40)}, not_there=True)
    at = position()
    assert (at.in_store, at.with_supplier) == (117, 123)
    assert balance(Account.STOCK) == -balance(Account.OWNED_NOT_BILLED) == D("3534.90")
    assert ReceiptLine.objects.latest("pk").back == 123


def test_what_was_billed_before_is_claimed(world):
    shipment = landed(world)
    ShipmentLine.objects.update(opening_billed=True)
    with pytest.raises(Refused, match="A was billed before it came"):
        world.receive(shipment, {"A": D(140)}, not_there=True)
    ShipmentLine.objects.update(opening_billed=False)


def test_on_the_page_it_is_one_of_the_answers(world, signed_in):
    shipment = landed(world)
    box = shipment.containers.get()
    page, url = signed_in("dock"), reverse("receive", args=[box.pk, world.site.pk])
    part = box.shipment_lines.get().pk
    asked = {"key": "k", "delivery_note": "D", "occurred_on": TODAY.isoformat(), f"row-{part}": "140"}
    assert b"100 are short" in page.post(url, asked).content
    assert page.post(url, asked | {f"short-{part}": "not_there"}).status_code == 302
    assert position().with_supplier == 100
    rows = page.get(reverse("dock")).context["rows"]
    assert [row.record.container for row in rows] == [None], "the order is to come, and the container is not"
