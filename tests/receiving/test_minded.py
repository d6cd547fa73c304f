"""Warnings about goods that come: how long they keep, lots that lie apart, and whose they are."""

from datetime import timedelta

import pytest
from django.urls import reverse

from northing.actions.quality.inspect import InspectRequest, inspect
from northing.actions.receiving.receive import ReceiveRequest, ReceiveRow, receive
from northing.core.problems import Refused
from northing.inventory.models import OnHand
from northing.masterdata.models import Item, Pack
from northing.orders.models import Instalment
from northing.receiving.models import Receipt
from tests.worlds import TODAY, D

GTIN = "09521000000001"


@pytest.fixture
def ready(world):
    """Six of lot L1 are to be inspected, of an order of twenty."""
    Pack.objects.create(item=world.items["A"], name="carton", factor=6, gtin=GTIN)
    world.order = world.sent_order({"A": D(20)}, ours_from="receipt")
    world.part = Instalment.objects.get(line__order=world.order)
    take(world, "L1", condition="inspect")
    return world


def take(world, lot, *, accept=False, note="DN-1", **more):
    row = ReceiveRow(None, D(6), True, lot, instalment=world.part.pk, **more)
    return receive(world.act("dock"), ReceiveRequest(None, world.site.pk, note, TODAY, (row,), accept))


def story(receipt):
    return Receipt.objects.get(pk=receipt).history.text


def test_a_lot_that_is_held_is_warned_about(ready):
    assert "Lot L1 of A: 6 pc of it are held." in story(take(ready, "L1", note="DN-2"))
    assert "Lot" not in story(take(ready, "L2", note="DN-3"))


def test_a_rejected_lot_of_an_inspected_item_is_asked_about(ready):
    layer = OnHand.objects.get(status="held").layer_id
    inspect(ready.act("inspector"), InspectRequest(layer, D(0), D(6), "wet", TODAY))
    assert "6 pc of it were rejected" in story(take(ready, "L1", note="DN-2"))
    Item.objects.update(inspected=True)
    with pytest.raises(Refused) as refused:
        take(ready, "L1", note="DN-3")
    (asked,) = [one for one in refused.value.problems if one.strength == "ask"]
    assert (asked.what, asked.where) == ("Lot L1 of A: 6 pc of it were rejected.", f"lot-i{ready.part.pk}")
    assert take(ready, "L1", note="DN-3", accept=True)


def test_a_scan_says_at_once_what_to_mind(ready, signed_in):
    Item.objects.filter(code="A").update(least_days=90)

    def mind(scan, **more):
        asked = {"site": ready.site.pk, "order": ready.order.pk, "scan": scan, "times": 1, **more}
        return signed_in("dock").post(reverse("scan"), asked).json()["mind"]

    assert mind(f"(01){GTIN}(10)L2") == ""
    assert mind(f"(01){GTIN}(10)L1") == "Lot L1 of A: 6 pc of it are held."
    soon, past = (f"{TODAY + timedelta(days=days):%y%m%d}" for days in (10, -1))
    assert "it must keep 90 days when it comes" in mind(f"(01){GTIN}(15){soon}")
    assert "A was best before" in mind(f"(01){GTIN}(15){past}")
    euros = ready.sent_order({"B": D(4)})
    theirs = {"order": euros.pk, "supplier": ready.parties["EUR"].pk}
    assert mind("A", **theirs) == f"A is expected of Supplier USD, on {ready.order.number}."
