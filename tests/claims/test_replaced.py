"""Goods that come free in the place of failed ones: the claim goes into them, and comes back with their receipt."""

import pytest

from northing.actions.billing import bills
from northing.actions.claims.returns import ReturnRequest, return_goods, reverse_return
from northing.actions.orders import send
from northing.actions.receiving.receive import ReceiveRequest, ReceiveRow, receive
from northing.actions.receiving.reverse import reverse_receipt
from northing.actions.reversal import ReverseRequest
from northing.claims.models import ReturnNote
from northing.claims.queries import open_claims
from northing.core.problems import Refused
from northing.ledger.models import CostLayer, LayerCost
from northing.orders.models import Instalment
from northing.receiving.models import Receipt
from northing.reports.book_proof import book_faults
from northing.scenarios.case_rows import case_rows
from northing.worklist.models import Matter
from tests.billing.test_goods import bill_of, line_of
from tests.claims.test_cases import anew, fail, said
from tests.worlds import TODAY, D


@pytest.fixture
def owed(world):
    """Five of seven failed kettles that were billed are replaced at no price; two of the seven are still open."""
    fail(world)
    bills.book_bill(world.act("costs"), bill_of(world.order, line_of(world.order, "18"), number="S-1"))
    world.said = said(world, owed="replacement")
    world.free = anew(world, {world.said: D(5)}, free=True)
    for step in (send.check_order, send.send_order):
        step(world.act("expediter"), send.OrderAct(world.free))
    world.price = price_of(world)
    return world


def price_of(world):
    """What a unit cost in the order's currency and in base, goods alone."""
    part = Instalment.objects.get(line__order=world.order)
    layer = CostLayer.objects.get(receipt_line__instalment=part)
    return part.pack_price / part.line.pack_factor, layer.goods_cost / layer.received


def came(world, units, note):
    part = Instalment.objects.get(line__order=world.free)
    rows = (ReceiveRow(None, D(units), instalment=part.pk, still_coming=True),)
    made = receive(world.act("dock"), ReceiveRequest(None, world.site.pk, note, TODAY, rows))
    return CostLayer.objects.get(receipt_line__receipt=made)


def went_back(world, units):
    return_goods(world.act("inspector"), ReturnRequest(world.case.pk, D(units), "RA-77", TODAY))
    return ReturnNote.objects.latest("pk")


def claimed(world):
    return sum(amount for amount, _ in open_claims([world.case.pk]).values())


@pytest.mark.parametrize("first", ["return", "goods"])
def test_the_claim_goes_into_the_goods_whichever_comes_first(owed, first):
    if first == "return":
        went_back(owed, 5)
        assert claimed(owed) == 5 * owed.price[0]
        layer = came(owed, 5, "F-1")
    else:
        layer = came(owed, 5, "F-1")
        assert layer.total_cost == 0
        went_back(owed, 5)
        layer.refresh_from_db()
    assert layer.total_cost == round(5 * owed.price[1], 2) and claimed(owed) == 0
    assert LayerCost.objects.get(layer=layer).component == "replaced"
    [row] = [row for row in case_rows({}) if row["ways"].get("returned")]
    assert row["claimed"] == row["into goods"] and row["replaced"] == "5"
    assert book_faults() == []


def test_part_by_part_to_the_cent_and_all_the_way_back(owed):
    went_back(owed, 2)
    one = came(owed, 3, "F-1")
    assert claimed(owed) == 0 and one.total_cost == round(2 * owed.price[1], 2)
    note = went_back(owed, 3)
    assert claimed(owed) == 2 * owed.price[0]
    other = came(owed, 2, "F-2")
    one.refresh_from_db()
    assert (claimed(owed), one.total_cost + other.total_cost) == (0, round(5 * owed.price[1], 2))
    assert book_faults() == []
    with pytest.raises(Refused, match="went into goods that came in their place"):
        reverse_return(owed.act("inspector"), ReverseRequest(note.pk, "it is here"))
    for receipt in Receipt.objects.filter(delivery_note__startswith="F-").order_by("-pk"):
        reverse_receipt(owed.act("dock"), ReverseRequest(receipt.pk, "wrong house"))
        assert book_faults() == []
    assert claimed(owed) == 5 * owed.price[0]
    reverse_return(owed.act("inspector"), ReverseRequest(note.pk, "it is here"))
    assert claimed(owed) == 2 * owed.price[0] and book_faults() == []


def test_two_open_units_keep_their_case_on_the_watch(owed):
    went_back(owed, 5)
    came(owed, 5, "F-1")
    assert Matter.objects.get(kind="case", record=owed.case.pk).reason == "rejected: dents; settle with Supplier USD"
