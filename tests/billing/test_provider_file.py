"""A provider's bill as a UBL Invoice: read, laid beside its estimates, then booked like any other."""

import pytest
from django.core.files.uploadedfile import SimpleUploadedFile
from django.urls import reverse

from northing.actions.costing import charges
from northing.activity.models import Document
from northing.billing.models import Bill
from northing.costing.models import Charge
from northing.reports.book_proof import book_faults
from northing.shipping.models import Shipment
from tests.worlds import CONTAINERS, TODAY, D

SPACES = (
    'xmlns="urn:oasis:names:specification:ubl:schema:xsd:Invoice-2" '
    'xmlns:cac="urn:oasis:names:specification:ubl:schema:xsd:CommonAggregateComponents-2" '
    'xmlns:cbc="urn:oasis:names:specification:ubl:schema:xsd:CommonBasicComponents-2"'
)


def invoice(lines, seller, number="QF-1", total="", currency="USD"):
    rows = "".join(
        f"<cac:InvoiceLine><cbc:ID>{place}</cbc:ID><cbc:LineExtensionAmount>{amount}</cbc:LineExtensionAmount>"
        f"<cac:Item><cbc:Name>{name}</cbc:Name></cac:Item></cac:InvoiceLine>"
        for place, (name, amount) in enumerate(lines, 1)
    )
    return (
        f"<Invoice {SPACES}><cbc:ID>{number}</cbc:ID><cbc:IssueDate>{TODAY}</cbc:IssueDate>"
        f"<cbc:DocumentCurrencyCode>{currency}</cbc:DocumentCurrencyCode>"
        f"<cac:AccountingSupplierParty><cac:Party><cac:PartyName><cbc:Name>{seller}</cbc:Name></cac:PartyName>"
        f"</cac:Party></cac:AccountingSupplierParty><cac:LegalMonetaryTotal><cbc:PayableAmount>{total}"
        f"</cbc:PayableAmount></cac:LegalMonetaryTotal>{rows}</Invoice>"
    ).encode()


@pytest.fixture
def two(world):
    """Two shipments with freight and haulage estimated for each."""
    world.both = [
        world.shipment([world.sent_order({"A": D(10)})]),
        world.shipment([world.sent_order({"C": D(20)})], CONTAINERS[1]),
    ]
    for shipment, freight, haulage in zip(world.both, ("640.00", "700.00"), ("300.00", "310.00"), strict=True):
        Shipment.objects.filter(pk=shipment.pk).update(document=f"BL-{freight[:3]}")
        for kind, amount in (("freight", freight), ("haulage", haulage)):
            head = (world.nz.pk, world.parties["provider"].pk, kind, "weight", "USD", D(amount), TODAY)
            charges.enter_estimate(world.act("costs"), charges.ChargeRequest(*head, (shipment.pk,)))
    return world


def shown(desk, content, name="bill.xml"):
    return desk.post(reverse("bill-file"), {"key": "k", "file": SimpleUploadedFile(name, content)})


def rows_of(page):
    form = page.context["form"]
    return [
        (
            form.initial.get(f"charge-line-{row}", ""),
            form.initial.get(f"kind-line-{row}", ""),
            form.initial[f"amount-line-{row}"],
        )
        for row in range(form.rows)
    ]


def test_lines_stand_beside_the_estimates_that_they_name(two, signed_in):
    desk, payee = signed_in("costs"), two.parties["provider"]
    freight, haulage = Charge.objects.filter(kind="freight"), Charge.objects.filter(kind="haulage")
    lines = [
        (f"Ocean freight BL-640, {CONTAINERS[0]}", "655.00"),
        ("Sea freight BL-700", "700.00"),
        ("Delivery, one container", "310.00"),
        ("Waiting time of the truck", "44.00"),
        ("Sea freight BL-700, rest", "12.50"),
    ]
    page = shown(desk, invoice(lines, payee.name, total="1721.50"))
    first, second = freight.order_by("pk")
    # Of two that are named alike the one of that amount; two lines of one estimate stand as their sum.
    assert rows_of(page) == [
        (str(first.pk), "", "655.00"),
        (str(second.pk), "", "712.50"),
        (str(haulage.get(estimated=D(310)).pk), "", "310.00"),
        ("", "other", "44.00"),
    ]
    initial = page.context["form"].initial
    assert initial["payee"] == payee and initial["company"] == two.nz.pk and initial["total"] == "1,721.50"
    assert not Bill.objects.exists()


def test_what_is_shown_is_booked_and_the_file_is_kept(two, signed_in):
    desk, payee = signed_in("costs"), two.parties["provider"]
    page = shown(desk, invoice([("Ocean freight BL-640", "655.00")], payee.code.lower(), total="655.00"))
    form = page.context["form"]
    sent = {name: form[name].value() or "" for name in form.fields if "over" not in name}
    sent |= {"key": "b", "rows": form.rows, "act": "book", "payee": payee.pk, "currency": "USD", "more-line-0": ""}
    answer = desk.post(reverse("new-bill"), sent)
    assert answer.status_code == 302, answer.context["form"].errors
    bill = Bill.objects.get()
    assert bill.number == "QF-1" and bill.lines.get().charge.estimated == D("640.00") and book_faults() == []
    assert Document.objects.get().name == "bill.xml"
    again = desk.post(reverse("new-bill"), sent | {"key": "c"})
    assert again.status_code == 422 and reverse("bill", args=[bill.pk]) in again.content.decode()


def test_files_that_cannot_be(two, signed_in):
    desk, payee = signed_in("costs"), two.parties["provider"]
    unknown = shown(desk, invoice([("Freight", "1.00")], "Nobody at all"))
    assert unknown.status_code == 422 and "fits a line of an order" in unknown.content.decode()
    many = shown(desk, invoice([(f"Thing {one}", "1.00") for one in range(31)], payee.name))
    assert many.status_code == 422 and "more than 30 different lines" in many.content.decode()
    more = shown(desk, invoice([("Freight", "1.00")] * 5_000, payee.name))
    assert more.status_code == 422 and "more than 500 lines" in more.content.decode()
    hostile = b'<!DOCTYPE x [<!ENTITY a "b">]>' + invoice([("&a;", "1.00")], payee.name)
    assert shown(desk, hostile).status_code == 422
    assert shown(desk, invoice([("Freight", "1e99")], payee.name)).status_code == 422
    other = shown(desk, invoice([("Freight BL-640", "1.00")], payee.name, currency="EUR"))
    assert rows_of(other) == [("", "freight", "1.00")]
