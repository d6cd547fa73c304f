"""Suppliers' bills from a file, and by the API."""

from decimal import Decimal as D

import pytest
from django.core.files.uploadedfile import SimpleUploadedFile
from django.urls import reverse

from northing.activity.models import Document
from northing.billing.models import Bill
from northing.masterdata.models import Company
from northing.payments.models import AskedPayment, Payment
from northing.reports.book_proof import book_faults
from tests.api.conftest import Program
from tests.worlds import TODAY

HEAD = "order,line,quantity,price,amount,kind,number,total"


@pytest.fixture
def order(world):
    found = world.sent_order({"A": D(10)})
    world.say(world.shipment([found]), "departure")
    return found


def uploaded(*rows):
    return {"file": SimpleUploadedFile("b.csv", "\n".join((HEAD, *rows)).encode()), "key": "k"}


def test_a_file_is_shown_beside_what_is_ours_and_booked(world, order, signed_in):
    page = signed_in("costs")
    rows = (f"{order.number},1,10,18.90,,,S-9,199.00", ",,,,10.00,freight,,", "KLN-77777,1,3,1,,,,")
    shown = page.post(reverse("bill-file"), uploaded(*rows))
    content = shown.content.decode()
    assert shown.status_code == 200 and "KLN-77777/1" in content and not Bill.objects.exists()
    form, target = shown.context["form"], shown.context["target"]
    asked = {name: form[name].value() for name in form.fields if form[name].value() not in (None, False)}
    booked = page.post(target, asked | {"act": "book", "day": TODAY.isoformat()})
    bill = Bill.objects.get()
    assert booked.url == reverse("bill", args=[bill.pk])
    assert (bill.number, bill.total, bill.lines.count()) == ("S-9", 199, 2) and book_faults() == []
    assert Document.objects.filter(kind="bill", record=bill.pk, name="b.csv").exists()


@pytest.mark.parametrize(
    ("row", "words"),
    [("KLN-77777,1,3,1,,,,", b"No line of the file fits"), ("KLN-1,1,many,1,,,,", b"is not a number")],
)
def test_a_file_that_fits_nothing_is_refused_in_words(world, order, signed_in, row, words):
    answer = signed_in("costs").post(reverse("bill-file"), uploaded(row))
    assert answer.status_code == 422 and words in answer.content


def test_a_program_books_pays_and_reads(world, order):
    program = Program(world, "accounts")
    body = {"company": "KLN", "supplier": order.supplier.code, "number": "S-1", "day": TODAY.isoformat()}
    body |= {"currency": "USD", "total": "189.00"}
    lines = [{"order": order.number, "line": "1", "quantity": "10", "price": "18.40"}]
    lines.append({"kind": "freight", "amount": "5.00"})
    answer = program.send("post", "/bills", body | {"lines": lines, "total": "188.00"})
    assert answer.status_code == 422 and b"come to 189.00" in answer.content
    unknown = program.send("post", "/bills", body | {"lines": [lines[0] | {"line": "9"}]})
    assert unknown.status_code == 422 and unknown.json()["problems"][0]["where"] == "lines-0"
    for field, code in (("company", "XXX"), ("supplier", "XXX")):
        assert program.send("post", "/bills", body | {field: code, "lines": lines}).status_code == 422
    made = program.send("post", "/bills", body | {"lines": lines})
    assert made.status_code == 201
    items = program.get("/open-items?account=supplier_payable").json()["items"]
    assert [(one["amount"], one["currency"]) for one in items] == [("-189", "USD")]
    paid = {"company": "KLN", "party": order.supplier.code, "day": TODAY.isoformat(), "currency": "USD"}
    part = {"bill": made.json()["id"], "amount": "100"}
    assert program.send("post", "/payments", paid | {"parts": [part]}).status_code == 201
    assert program.send("post", "/payments", paid | {"parts": [part]}).status_code == 422
    found = program.get(f"/bills/{made.json()['id']}").json()
    assert (found["paid"], found["open"], found["why_not_paid"]) == ("100", "89", "")
    assert program.get(f"/bills?party={order.supplier.code}&number=s-1").json()["items"] == [found]
    assert program.get("/payments").json()["items"][0]["bank_amount"] == "164.2"
    assert Payment.objects.count() == 1 and book_faults() == []
    Company.objects.update(payment_approval_above=50)
    waits = program.send("post", "/payments", paid | {"parts": [part | {"amount": "89"}]})
    assert waits.status_code == 202 and AskedPayment.objects.get(pk=waits.json()["id"]).amount == 89
    assert Payment.objects.count() == 1
