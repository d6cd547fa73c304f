"""Pages of bills with lines, goods that come unpacked, reversals that name what stands on a fact, and moves."""

from decimal import Decimal as D

import pytest
from django.urls import reverse

from northing.access.models import Person
from northing.actions.billing import bills
from northing.actions.billing.request import BillLineRequest, BillRequest
from northing.actions.costing import charges
from northing.actions.inventory import issue
from northing.actions.masterdata import opening
from northing.actions.quality import inspect
from northing.billing.models import Bill
from northing.claims.models import Claim, ReturnNote
from northing.core.problems import NotAllowed
from northing.costing.models import Charge
from northing.inventory.models import OnHand, Opening
from northing.ledger.models import Account, CostLayer
from northing.masterdata.models import Bin, Site
from northing.orders.models import Instalment
from northing.positions.models import Position
from northing.quality.models import Inspection
from northing.receiving.models import Receipt
from northing.reports.book_proof import book_faults
from tests.across.test_worked_case import balance
from tests.worlds import CONTAINERS, TODAY

DAY = TODAY.isoformat()


@pytest.fixture
def signed_in(client):
    """The browser of a person."""

    def enter(who):
        client.force_login(Person.objects.get(username=who))
        return client

    return enter


def bill_of(world, **more):
    head = {"kind": "bill", "company": world.nz.pk, "payee": world.parties["provider"].pk, "bill_number": "F-7"}
    return head | {"day": DAY, "currency": "NZD", "rows": "3", "key": "k", "act": "show"} | more


def test_a_bill_of_three_kinds_is_shown_booked_and_reversed(world, signed_in):
    shipments = [
        world.shipment([world.sent_order({code: D(10)})], box) for code, box in zip("AC", CONTAINERS, strict=True)
    ]
    page, url = signed_in("costs"), reverse("new-bill")
    lines = {
        "kind-line-0": "freight", "basis-line-0": "value", "amount-line-0": "100.00",
        "shipments-line-0": [one.pk for one in shipments],
        "kind-line-1": "handling", "basis-line-1": "quantity", "amount-line-1": "20.00",
        "orders-line-1": "KLN-00001 KLN-00002/1",
        "kind-line-2": "insurance", "basis-line-2": "value", "amount-line-2": "5.00",
        "shipments-line-2": [shipments[1].pk],
    }  # fmt: skip
    asked = bill_of(world, **lines, tax="18.75", total="143.75")
    assert page.get(url).status_code == 200
    assert b"its lines and the tax come to" in page.post(url, asked | {"total": "140.00"}).content
    assert b"There is no order or line KLN-9" in page.post(url, asked | {"orders-line-1": "KLN-9"}).content
    assert page.post(url, asked | {"act": "another"}).context["form"].rows == 4
    shown = page.post(url, asked)
    assert len(shown.context["plans"]) == 3 and not Bill.objects.exists()
    booked = page.post(url, asked | {"act": "book"})
    bill = Bill.objects.get()
    assert booked.url == reverse("bill", args=[bill.pk]) and bill.lines.count() == 3
    assert (balance(Account.PROVIDER_PAYABLE), balance(Account.INPUT_TAX)) == (D("-143.75"), D("18.75"))
    assert b"F-7" in page.get(reverse("bills")).content
    assert page.post(booked.url, {"key": "r", "reason": "another firm's"}).status_code == 302
    assert balance(Account.PROVIDER_PAYABLE) == balance(Account.INPUT_TAX) == 0
    assert {charge.amount for charge in Charge.objects.all()} == {0}
    assert b"reversed" in page.get(booked.url).content and book_faults() == []


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
    from tests.api.conftest import Program

    world.sent_order({"A": D(100)})
    rows = [{"instalment": Instalment.objects.get().pk, "quantity": "60", "still_coming": True}]
    asked = {"site": "TRG", "delivery_note": "DN", "received_on": DAY, "rows": rows}
    assert Program(world, "stranger").send("post", "/receipts", asked).status_code == 404
    strange = Program(world, "dock").send("post", "/receipts", asked | {"rows": [{"quantity": "1"}]})
    assert strange.status_code == 422 and strange.json()["problems"][0]["where"] == "rows-0"
    assert Program(world, "dock").send("post", "/receipts", asked).status_code == 201
    assert Position.objects.get().in_store == 60


def test_what_stands_on_a_fact_is_named_with_a_link(world, signed_in):
    world.items["A"].inspected = True
    world.items["A"].save()
    receipt = world.receive(world.shipment([world.sent_order({"A": D(100)})]), {"A": D(100)})
    layer = CostLayer.objects.get()
    inspect.inspect(world.act("inspector"), inspect.InspectRequest(layer.pk, D(90), D(10), "dents", TODAY))
    refused = signed_in("dock").post(reverse("receipt", args=[receipt]), {"key": "a", "reason": "x"})
    verdict = reverse("inspect", args=[layer.pk])
    assert f'90 passed, 10 failed. Reverse that first. <a href="{verdict}">Open it</a>' in refused.content.decode()
    case = Claim.objects.get()
    back = {"key": "b", "quantity": "4", "reference": "RA-1", "occurred_on": DAY}
    assert signed_in("inspector").post(reverse("case", args=[case.pk]), back).status_code == 302
    undo = reverse("reverse-inspection", args=[Inspection.objects.get().pk])
    page = signed_in("inspector")
    assert reverse("case", args=[case.pk]) in page.post(undo, {"key": "c", "reason": "x"}).content.decode()
    stock = balance(Account.STOCK)
    note = reverse("reverse-return", args=[ReturnNote.objects.get().pk])
    assert page.post(note, {"key": "d", "reason": "never fetched"}).status_code == 302
    assert balance(Account.STOCK) - stock == D("120.85"), "4 of 100 at 3,021.28"
    taken = issue.IssueRequest(world.site.pk, world.items["A"].pk, D(1), "shops", TODAY)
    key = issue.issue_stock(world.act("dock"), taken)
    assert "Take that issue back first" in page.post(undo, {"key": "e", "reason": "x"}).content.decode()
    issue.take_back_issue(world.act("dock"), issue.TakeBackRequest(key, "not sold"))
    assert page.post(undo, {"key": "f", "reason": "the wrong carton"}).status_code == 302
    assert Position.objects.get().held == 100 and Claim.objects.get().open_quantity == 0
    assert signed_in("dock").post(reverse("receipt", args=[receipt]), {"key": "g", "reason": "x"}).status_code == 302
    assert book_faults() == [] and balance(Account.STOCK) == 0


def test_goods_move_to_another_site_at_their_value(world, signed_in):
    world.receive(world.shipment([world.sent_order({"A": D(100)})]), {"A": D(100)})
    other = Site.objects.create(company=world.nz, code="NPE", name="NPE")
    there = Bin.objects.create(site=other, code="S", purpose="store")
    lies, layer, stock = OnHand.objects.get(), CostLayer.objects.get(), balance(Account.STOCK)
    page, url = signed_in("dock"), reverse("move-goods", args=[layer.pk])
    asked = {"key": "a", "source": lies.pk, "target": there.pk, "quantity": "101"}
    assert b"Only 100 pc lie in" in page.post(url, asked).content
    assert page.post(url, asked | {"quantity": "30"}).status_code == 302
    layer.refresh_from_db()
    assert (layer.site, balance(Account.STOCK)) == (world.site, stock)
    out = issue.IssueRequest(other.pk, world.items["A"].pk, D(31), "shops", TODAY)
    with pytest.raises(Exception, match="Only 30 pc of A are in store at NPE"):
        issue.issue_stock(world.act("dock"), out)
    assert page.post(url, asked | {"key": "b", "quantity": "70"}).status_code == 302
    layer.refresh_from_db()
    assert (layer.site, balance(Account.STOCK)) == (other, stock)


def test_an_opening_is_reversed_while_nothing_has_left(world, signed_in):
    content = f"company,site,item,quantity,value,received_on\nKLN,TRG,A,10,90.00,{DAY}\n".encode()
    opening.open_stock(world.act("administrator"), opening.FileRequest(content))
    url = reverse("reverse-opening", args=[Opening.objects.get().pk])
    taken = issue.IssueRequest(world.site.pk, world.items["A"].pk, D(1), "shops", TODAY)
    key = issue.issue_stock(world.act("dock"), taken)
    assert (
        b"1 pc of A have left stock since" in signed_in("administrator").post(url, {"key": "a", "reason": "x"}).content
    )
    issue.take_back_issue(world.act("dock"), issue.TakeBackRequest(key, "not sold"))
    assert signed_in("administrator").post(url, {"key": "b", "reason": "counted twice"}).status_code == 302
    assert balance(Account.STOCK) == balance(Account.OPENING) == 0
    assert book_faults() == [] and not OnHand.objects.filter(quantity__gt=0).exists()


def test_an_estimate_of_another_company_is_not_spoken_of(world):
    asked = charges.ChargeRequest(
        world.au.pk, world.parties["provider"].pk, "freight", "value", "USD", D(90), TODAY,
        (world.shipment([world.sent_order({"A": D(10)}, company=world.au)]).pk,),
    )  # fmt: skip
    estimate = charges.enter_estimate(world.act("costs"), asked)
    world.people["costs"].grants.exclude(company=world.nz).delete()
    world.people["costs"].__dict__.pop("_held", None)
    line = BillLineRequest(D(90), estimate, final=False)
    wrong = BillRequest(world.nz.pk, world.parties["provider"].pk, "F-1", TODAY, "NZD", (line,))
    with pytest.raises(NotAllowed):
        bills.book_bill(world.act("costs"), wrong)
