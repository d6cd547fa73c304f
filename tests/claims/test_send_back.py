"""Goods set aside by hand, and all of a receipt or an order sent back: units, books, numbers, and their undoing."""

from io import BytesIO
from threading import Barrier, Thread

import pytest
from django.db import connection
from django.db.models import Sum
from django.urls import reverse
from openpyxl import load_workbook

from northing.actions.billing import bills
from northing.actions.claims.return_all import ReturnAllRequest, return_all, reverse_all
from northing.actions.claims.set_aside import SetAsideRequest, set_aside, take_back
from northing.actions.inventory.issue import IssueRequest, issue_stock
from northing.actions.receiving.receive import receive
from northing.actions.receiving.request import ReceiveRequest, ReceiveRow
from northing.actions.receiving.reverse import reverse_receipt
from northing.actions.reversal import ReverseRequest
from northing.claims.models import Claim, ClaimAmount, GoodsReturn, ReturnNote
from northing.core.problems import NotAllowed, Refused
from northing.formats.despatch import read_advice
from northing.inventory.models import OnHand
from northing.inventory.serials import serials_in
from northing.ledger.models import Account, CostLayer
from northing.masterdata.models import Item
from northing.receiving.models import Receipt
from northing.reports.book_proof import book_faults
from northing.reports.goods_returns import return_rows
from tests.across.test_worked_case import balance
from tests.billing.test_goods import bill_of, line_of
from tests.worlds import TODAY, D, small_world


@pytest.fixture
def stored(world):
    """Ten kettles and twenty cups in store, of one receipt."""
    return lay(world)


def lay(world):
    world.order = world.sent_order({"A": D(10), "C": D(20)})
    shipment = world.shipment([world.order])
    world.say(shipment, "departure")
    world.receive(shipment, {"A": D(10), "C": D(20)})
    world.layer = CostLayer.objects.get(item=world.items["A"], kind="stock")
    world.receipt = Receipt.objects.latest("pk")
    return world


def aside(world, units=4, who="inspector", **change):
    facts = {"layer": world.layer.pk, "quantity": D(units), "reason": "dents", "occurred_on": TODAY} | change
    return set_aside(world.act(who), SetAsideRequest(**facts))


def back(world, who="inspector", **change):
    facts = {"reference": "RA-1", "reason": "not as ordered", "occurred_on": TODAY, "order": world.order.pk} | change
    return return_all(world.act(who), ReturnAllRequest(**facts))


def states(layer):
    rows = OnHand.objects.filter(layer=layer, quantity__gt=0)
    return {row.status: row.quantity for row in rows}


def position(world, code="A"):
    return world.line(code).instalments.get().position


def test_goods_in_store_are_set_aside_and_taken_back(stored):
    case = Claim.objects.get(pk=aside(stored))
    assert states(stored.layer) == {"in_store": 6, "rejected": 4} and position(stored).rejected == 4
    assert (case.kind, case.open_quantity, case.reason) == ("rejected", 4, "dents")
    take_back(stored.act("inspector"), ReverseRequest(case.pk, "they are fine"))
    assert states(stored.layer) == {"in_store": 10} and position(stored).in_store == 10
    case.refresh_from_db()
    assert case.open_quantity == 0
    with pytest.raises(Refused, match="reversed already"):
        take_back(stored.act("inspector"), ReverseRequest(case.pk, "again"))


@pytest.mark.parametrize(
    ("change", "words"),
    [
        ({"units": 11}, "Only 10 pc"), ({"units": 0}, "above 0"), ({"units": -1}, "above 0"),
        ({"units": "1.5"}, "counted in whole"), ({"reason": " "}, "what is wrong"),
        ({"occurred_on": TODAY.replace(year=1970)}, "1970"),
    ],
)  # fmt: skip
def test_what_cannot_be_set_aside_is_refused(stored, change, words):
    with pytest.raises(Refused, match=words):
        aside(stored, **change)
    assert not Claim.objects.exists()


def test_who_may_not_return_goods_sets_nothing_aside_and_sends_nothing_back(stored):
    for who in ("viewer", "dock"):
        with pytest.raises(NotAllowed):
            aside(stored, who=who)
        with pytest.raises(NotAllowed):
            back(stored, who=who)
    assert states(stored.layer) == {"in_store": 10}


def test_a_receipt_with_goods_set_aside_is_not_reversed(stored):
    case = aside(stored)
    with pytest.raises(Refused, match="4 pc of A are set aside: dents"):
        reverse_receipt(stored.act("dock"), ReverseRequest(stored.receipt.pk, "wrong"))
    take_back(stored.act("inspector"), ReverseRequest(case, "fine"))
    reverse_receipt(stored.act("dock"), ReverseRequest(stored.receipt.pk, "wrong"))


def test_all_of_an_order_goes_back_in_one_return(stored):
    billed = bill_of(stored.order, line_of(stored.order, "10"), accept=True)
    bills.book_bill(stored.act("costs"), billed)
    aside(stored)
    issue_stock(stored.act("dock"), IssueRequest(stored.site.pk, stored.items["C"].pk, D(5), "shop", TODAY))
    (made,) = back(stored)
    record = GoodsReturn.objects.get(pk=made)
    assert str(record) == "KLN-B00001" and record.notes.count() == 3
    assert position(stored).returned == 10 and position(stored, "C").returned == 15
    # Billed kettles are claimed at their price; cups that were not billed are not owed any more.
    claimed = ClaimAmount.objects.values_list("currency").annotate(Sum("amount"))
    assert dict(claimed) == {"USD": D("184.00")}
    assert balance(Account.STOCK, stored.nz) == 0 and book_faults() == []
    with pytest.raises(Refused, match="Nothing of it is here any more"):
        back(stored)
    rows = list(return_rows([stored.nz.pk]))
    assert {row["return"] for row in rows} == {"KLN-B00001"} and sum(row["quantity"] for row in rows) == 25
    reverse_all(stored.act("inspector"), ReverseRequest(made, "kept after all"))
    assert position(stored).rejected == 10 and balance(Account.CLAIMS, stored.nz) == 0 and book_faults() == []
    with pytest.raises(Refused, match="reversed already"):
        reverse_all(stored.act("inspector"), ReverseRequest(made, "again"))


@pytest.mark.parametrize(
    ("change", "words"),
    [
        ({"reference": " "}, "reference is missing"), ({"reason": ""}, "why they go back"),
        ({"order": None}, "Say what goes back"), ({"order": 0}, "Say what goes back"),
        ({"order": 999_999}, "Nothing of it is here"),
    ],
)  # fmt: skip
def test_a_return_that_cannot_be_is_refused_whole(stored, change, words):
    with pytest.raises(Refused, match=words):
        back(stored, **change)
    assert not GoodsReturn.objects.exists() and states(stored.layer) == {"in_store": 10}


def test_the_pages_set_aside_send_back_and_show(stored, signed_in):
    page = signed_in("inspector")
    url = reverse("set-aside", args=[stored.layer.pk])
    assert b"10 pc" in page.get(url).content
    asked = {"quantity": "3", "reason": "dents", "occurred_on": TODAY.isoformat(), "key": "k"}
    assert page.post(url, asked | {"quantity": "11"}).status_code == 422
    case = page.post(url, asked).url
    assert b"Take back into store" in page.get(case).content
    of = f"{reverse('send-back')}?receipt={stored.receipt.pk}"
    assert b"Send it all back" in page.get(of).content
    made = page.post(of, {"reference": "RA-9", "reason": "late", "occurred_on": TODAY.isoformat(), "key": "b"})
    assert b"KLN-B00001" in page.get(made.url).content and b"RA-9" in page.get(reverse("goods-returns")).content
    assert page.get(reverse("return-note", args=[GoodsReturn.objects.get().pk])).content[:5] == b"%PDF-"
    content = b"".join(page.get(reverse("goods-returns-csv")).streaming_content).decode()
    assert content.count("RA-9") == 3 and "KLN-B00001" in content
    sheet = load_workbook(BytesIO(page.get(reverse("goods-returns-xlsx")).content)).active
    assert [row[5] for row in sheet.iter_rows(values_only=True)] == ["reference", "RA-9", "RA-9", "RA-9"]
    advice = read_advice(page.get(reverse("return-xml", args=[GoodsReturn.objects.get().pk])).content)
    went = [(one.item, one.quantity) for one in advice.lines]
    assert sorted(went) == sorted((note.case.layer.item.code, note.quantity) for note in ReturnNote.objects.all())
    assert b"Nothing of it is here any more" in page.get(of).content
    undo = reverse("reverse-goods-return", args=[GoodsReturn.objects.get().pk])
    assert undo.encode() in page.get(made.url).content
    assert page.post(undo, {"reason": "kept after all", "key": "u"}).url == made.url
    assert position(stored).rejected == 10 and undo.encode() not in page.get(made.url).content
    for wrong in ("receipt=x", "order=999999", ""):
        assert page.get(f"{reverse('send-back')}?{wrong}").status_code == 404


def test_units_with_serial_numbers_go_back_whole_and_are_set_aside_by_number(world):
    Item.objects.filter(pk=world.items["A"].pk).update(keeps_serial=True)
    world.order = world.sent_order({"A": D(3)}, ours_from="receipt")
    part = world.order.lines.get().instalments.get()
    row = ReceiveRow(None, D(3), False, instalment=part.pk, serials=("N1", "N2", "N3"))
    receive(world.act("dock"), ReceiveRequest(None, world.site.pk, "DN-1", TODAY, (row,)))
    world.layer = CostLayer.objects.get(item=world.items["A"], kind="stock")
    with pytest.raises(Refused, match="say which"):
        aside(world, 1)
    aside(world, 1, serials=("N2",))
    assert serials_in(world.layer, "rejected").keys() == {"N2"}
    back(world)
    assert states(world.layer) == {} and position(world).returned == 3
    assert not serials_in(world.layer, "in_store")


@pytest.mark.django_db(transaction=True)
def test_two_people_send_the_same_order_back_once():
    world = lay(small_world())
    start, refused = Barrier(2), []

    def send():
        try:
            start.wait()
            back(world)
        except Refused as problem:
            refused.append(str(problem.problems[0]))
        finally:
            connection.close()

    people = [Thread(target=send) for _ in range(2)]
    for one in people:
        one.start()
    for one in people:
        one.join()
    assert len(refused) == 1 and "Nothing of it is here any more" in refused[0]
    assert ReturnNote.objects.count() == 2 and book_faults() == []
