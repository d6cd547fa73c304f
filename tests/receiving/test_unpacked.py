"""Goods that come unpacked: at the dock, and by the API."""

from decimal import Decimal as D

from django.urls import reverse

from northing.ledger.models import CostLayer
from northing.orders.models import Instalment
from northing.positions.models import Position
from northing.receiving.models import Receipt
from northing.reports.book_proof import book_faults
from tests.api.conftest import Program
from tests.worlds import TODAY

DAY = TODAY.isoformat()


def test_goods_come_unpacked_in_two_lots_the_rest_no_more(world, signed_in):
    order = world.sent_order({"A": D(100)})
    world.items["A"].keeps_lot = True
    world.items["A"].save()
    page, url = signed_in("dock"), reverse("receive-order", args=[order.pk])
    assert order.number.encode() in page.get(reverse("dock")).content
    key = f"i{Instalment.objects.get().pk}"
    found = {"key": "k", "delivery_note": "DN-1", "occurred_on": DAY, f"rows-{key}": "1", f"row-{key}": "50"}
    split = page.post(url, found | {"split": key})
    assert f'name="row-{key}-2"' in split.content.decode() and not Receipt.objects.exists()
    found |= {f"rows-{key}": "2", f"row-{key}-2": "30", f"lot-{key}": "L1"}
    assert b"the lot is missing" in page.post(url, found).content
    assert b"20 are short" in page.post(url, found | {f"lot-{key}-2": "L2"}).content
    done = page.post(url, found | {f"lot-{key}-2": "L2", f"short-{key}": "no_more"})
    receipt = Receipt.objects.get()
    assert done.url == reverse("receipt", args=[receipt.pk]) and receipt.container is None
    lots = CostLayer.objects.order_by("pk").values_list("lot", "received")
    assert list(lots) == [("L1", D(50)), ("L2", D(30))]
    position = Position.objects.get()
    assert (position.in_store, position.dropped, position.with_supplier) == (80, 20, 0)
    assert page.post(done.url, {"key": "r", "reason": "another order"}).status_code == 302
    position.refresh_from_db()
    assert (position.in_store, position.dropped, position.with_supplier) == (0, 0, 100)
    assert book_faults() == []


def test_a_receipt_by_the_api_and_a_stranger(world, client):
    world.sent_order({"A": D(100)})
    rows = [{"instalment": Instalment.objects.get().pk, "quantity": "60", "still_coming": True}]
    asked = {"site": "TRG", "delivery_note": "DN", "received_on": DAY, "rows": rows}
    assert Program(world, "stranger").send("post", "/receipts", asked).status_code == 404
    strange = Program(world, "dock").send("post", "/receipts", asked | {"rows": [{"quantity": "1"}]})
    assert strange.status_code == 422 and strange.json()["problems"][0]["where"] == "rows-0"
    assert Program(world, "dock").send("post", "/receipts", asked).status_code == 201
    assert Position.objects.get().in_store == 60
