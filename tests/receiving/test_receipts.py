"""Receipts have numbers of their own without gaps, and a list with quantities and values, as a page and as a file."""

import csv
import io
from concurrent.futures import ThreadPoolExecutor
from datetime import timedelta

import openpyxl
import pytest
from django.db import connection
from django.urls import reverse

from northing.actions.receiving import reverse as reversing
from northing.actions.receiving.receive import ReceiveRequest, ReceiveRow, receive
from northing.actions.reversal import ReverseRequest
from northing.activity.models import HistoryEntry
from northing.core.problems import Refused
from northing.ledger.models import CostLayer
from northing.masterdata.models import Site
from northing.orders.models import Instalment
from northing.receiving.models import Receipt
from northing.web.receiving.views import receipts
from northing.worklist.models import LineSummary
from tests.api.conftest import Program
from tests.worlds import TODAY, D, small_world


@pytest.fixture
def two(world):
    """Two receipts of a container."""
    world.cargo = world.shipment([world.sent_order({"A": D(240)}), world.sent_order({"C": D(10)})])
    world.receive(world.cargo, {"A": D(100)})
    world.receive(world.cargo, {"A": D(140), "C": D(10)})
    return world


def numbers():
    return list(Receipt.objects.order_by("pk").values_list("number", flat=True))


def body(world, rows):
    return {"site": world.site.code, "delivery_note": "DN-9", "received_on": TODAY.isoformat(), "rows": rows}


def test_numbers_follow_each_other_and_what_is_refused_takes_none(two):
    code = two.nz.code
    with pytest.raises(Refused):
        two.receive(two.cargo, {"A": D(1)})
    part = two.sent_order({"A": D(5)}).lines.get().instalments.get()
    asked, program = body(two, [{"instalment": part.pk, "quantity": "5"}]), Program(two, "dock")
    made, again = (program.send("post", "/receipts", asked, idempotency_key="once").json() for _ in range(2))
    assert made == again == {"id": Receipt.objects.latest("pk").pk, "number": f"{code}-R00003", "sscc": []}
    assert numbers() == [f"{code}-R{number:05d}" for number in (1, 2, 3)]
    two.nz.refresh_from_db()
    assert two.nz.last_receipt_number == 3


def test_the_list_says_quantity_and_value_and_opens_each(two, signed_in):
    page = signed_in("dock").get(reverse("receipts"))
    shown = [(one["receipt"][-5:], one["item"], one["received"]) for one in page.context["lines"]]
    assert shown == [("00002", "A", 140), ("00002", "C", 10), ("00001", "A", 100)]
    value = sum(one["value"] for one in page.context["lines"])
    assert value == sum(CostLayer.objects.filter(kind="stock").values_list("total_cost", flat=True)) > 0
    assert reverse("receipt", args=[Receipt.objects.latest("pk").pk]) in page.content.decode()


def rows_of(page, **asked):
    text = b"".join(page.get(reverse("receipts"), {"as": "csv"} | asked).streaming_content).decode("utf-8-sig")
    return list(csv.DictReader(io.StringIO(text)))


def test_the_file_has_what_the_page_asks_for(two, signed_in):
    page = signed_in("dock")
    assert [row["received"] for row in rows_of(page)] == ["140", "10", "100"]
    assert [row["item"] for row in rows_of(page, q="infusers")] == ["A", "C"], "a receipt is found whole"
    second = Site.objects.create(company=two.nz, code="AKL", name="Auckland")
    later = (TODAY + timedelta(days=1)).isoformat()
    for asked in ({"q": "nothing"}, {"since": later}, {"until": "2020-01-01"}, {"site": second.pk}):
        assert rows_of(page, **asked) == [], asked
    reversing.reverse_receipt(two.act("dock"), ReverseRequest(Receipt.objects.latest("pk").pk, "wrong"))
    assert [row["received"] for row in rows_of(page)] == ["100"]
    assert [row["reversed"] for row in rows_of(page, reversed="on")] == ["yes", "yes", ""]
    assert rows_of(signed_in("stranger")) == []


def test_the_list_is_narrowed_by_supplier_item_order_and_what_is_billed(two, signed_in):
    page, order = signed_in("dock"), two.cargo.containers.get().shipment_lines.first().instalment.line.order
    usd, eur = two.parties["USD"], two.parties["EUR"]

    def received(**asked):
        return [row["received"] for row in rows_of(page, **asked)]

    assert (received(supplier=usd.code.lower()), received(supplier=eur.name[:-1])) == (["140", "10", "100"], [])
    unknown = page.get(reverse("receipts"), {"supplier": "NOPE"})
    assert unknown.status_code == 422 and "No supplier is called NOPE." in unknown.content.decode()
    assert (received(item="c"), received(item="NOPE")) == (["10"], [])
    assert (received(order=order.number.lower()), received(order="NOPE")) == (["140", "100"], [])
    assert (received(billed="no"), received(billed="yes")) == (["140", "10", "100"], [])
    LineSummary.objects.filter(item__code="C").update(billed=10)
    assert (received(billed="no"), received(billed="yes")) == (["140", "100"], ["10"])
    LineSummary.objects.update(billed=0)


def test_the_list_comes_as_a_workbook_of_the_same_rows(two, signed_in, monkeypatch):
    page = signed_in("dock")
    answer = page.post(reverse("receipts-workbook"), {"query": "item=A"}, follow=True)
    sheet = openpyxl.load_workbook(io.BytesIO(b"".join(answer.streaming_content))).active
    head, *rows = [[cell.value for cell in row] for row in sheet.iter_rows()]
    place = head.index("received")
    assert [row[place] for row in rows] == [140, 100] and "line billed" in head
    monkeypatch.setattr(receipts, "AT_ONCE", 1)
    assert "/jobs/" in page.post(reverse("receipts-workbook"), {"query": ""}).url, "the worker makes it"
    for query in ("\x00", "since=x", "&" * 3000, "item=%00"):
        assert page.post(reverse("receipts-workbook"), {"query": query}).status_code == 302


def test_a_note_that_was_used_before_is_said_and_lets_pass(two, signed_in):
    page = signed_in("dock")
    first, second = two.sent_order({"A": D(5)}), two.sent_order({"A": D(6)})
    asked = {"key": "k", "delivery_note": "DN-5", "occurred_on": TODAY.isoformat(), "all": "1"}
    said = page.post(reverse("receive-order", args=[first.pk]), asked, follow=True).content.decode()
    assert "Received as KLN-R00003" in said.replace(two.nz.code, "KLN") and "was received before" not in said
    asked |= {"key": "l", "delivery_note": "dn-5"}
    said = page.post(reverse("receive-order", args=[second.pk]), asked, follow=True).content.decode()
    words = f"Delivery note DN-5 was received before: {two.nz.code}-R00003 of 24 Nov 2026."
    assert words in said and HistoryEntry.objects.filter(action="receive", text__contains=words).exists()
    note = Receipt.objects.filter(container=two.cargo.containers.get()).first().delivery_note
    assert not HistoryEntry.objects.filter(text__contains=f"note {note} was received before").exists()


BAD = [{"since": "x"}, {"site": "9" * 30}, {"q": "\x00"}, {"page": "-1"}, {"until": "0001-01-01"}]


@pytest.mark.parametrize("asked", BAD)
def test_bad_filters_are_said(two, signed_in, asked):
    assert signed_in("dock").get(reverse("receipts"), asked).status_code in (200, 422)


@pytest.mark.django_db(transaction=True)
def test_receivers_at_once_get_numbers_without_gaps():
    world = small_world()
    part = world.sent_order({"A": D(8)}).lines.get().instalments.get().pk
    program = Program(world, "dock")

    def take(_):
        try:
            asked = body(world, [{"instalment": part, "quantity": "1", "still_coming": True}])
            return program.send("post", "/receipts", asked).status_code
        finally:
            connection.close()

    with ThreadPoolExecutor(4) as pool:
        assert list(pool.map(take, range(8))) == [201] * 8
    assert sorted(numbers()) == [f"{world.nz.code}-R{number:05d}" for number in range(1, 9)]


def test_receipts_of_one_company(world, signed_in):
    for company in (world.nz, world.au):
        order = world.sent_order({"C": D(5)}, company=company, ours_from="receipt")
        rows = (ReceiveRow(None, D(5), instalment=Instalment.objects.get(line__order=order).pk),)
        receive(world.act("dock"), ReceiveRequest(None, company.sites.get().pk, "DN", TODAY, rows))
    page = signed_in("expediter").get(reverse("receipts"), {"company": world.au.pk})
    assert [one["receipt"][:3] for one in page.context["lines"]] == [world.au.code]
    assert len(signed_in("expediter").get(reverse("receipts")).context["lines"]) == 2
