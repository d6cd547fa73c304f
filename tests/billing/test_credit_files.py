"""Credit notes: read from a file, drafted by a return, and our debit notes that ask for them."""

from decimal import Decimal as D

import pytest
from django.core.files.uploadedfile import SimpleUploadedFile
from django.urls import reverse
from lxml import etree

from northing.actions.billing import bills
from northing.actions.billing.request import BillLineRequest
from northing.actions.claims.return_all import ReturnAllRequest, return_all
from northing.activity.models import Document
from northing.billing.models import Bill
from northing.claims.models import GoodsReturn
from northing.claims.queries import open_claims
from northing.formats.ubl_parts import SPACES
from northing.reports.book_proof import book_faults
from tests.billing.test_goods import bill_of, line_of
from tests.worlds import TODAY

NOTE = """<CreditNote xmlns="urn:oasis:names:specification:ubl:schema:xsd:CreditNote-2"
  xmlns:cac="urn:oasis:names:specification:ubl:schema:xsd:CommonAggregateComponents-2"
  xmlns:cbc="urn:oasis:names:specification:ubl:schema:xsd:CommonBasicComponents-2">
  <cbc:ID>CN-7</cbc:ID><cbc:DocumentCurrencyCode>{currency}</cbc:DocumentCurrencyCode>
  <cac:BillingReference><cac:InvoiceDocumentReference><cbc:ID>{bill}</cbc:ID></cac:InvoiceDocumentReference>
  </cac:BillingReference>
  <cac:AllowanceCharge><cbc:ChargeIndicator>true</cbc:ChargeIndicator>
    <cbc:AllowanceChargeReason>freight</cbc:AllowanceChargeReason><cbc:Amount>6.00</cbc:Amount></cac:AllowanceCharge>
  <cac:LegalMonetaryTotal><cbc:PayableAmount>80.60</cbc:PayableAmount></cac:LegalMonetaryTotal>
  <cac:CreditNoteLine><cbc:ID>1</cbc:ID><cbc:CreditedQuantity>4</cbc:CreditedQuantity>
    <cac:Item><cac:BuyersItemIdentification><cbc:ID>A</cbc:ID></cac:BuyersItemIdentification></cac:Item>
    <cac:Price><cbc:PriceAmount>18.40</cbc:PriceAmount></cac:Price>
  </cac:CreditNoteLine>{more}
</CreditNote>"""


@pytest.fixture
def returned(world):
    """Ten kettles billed with 12.00 of freight and 19.60 of tax on 196.00; all went back."""
    world.order = world.sent_order({"A": D(10)})
    shipment = world.shipment([world.order])
    world.say(shipment, "departure")
    world.receive(shipment, {"A": D(10)})
    freight = BillLineRequest(D("12.00"), kind="freight", where="x0")
    asked = bill_of(world.order, line_of(world.order), freight, tax=D("19.60"))
    world.bill = Bill.objects.get(pk=bills.book_bill(world.act("costs"), asked))
    request = ReturnAllRequest("RA-1", "dents", TODAY, order=world.order.pk)
    return_all(world.act("inspector"), request)
    world.back = GoodsReturn.objects.get()
    return world


def sent(page, **facts):
    facts = {"currency": "USD", "bill": "S-1", "more": ""} | facts
    file = SimpleUploadedFile("cn.xml", NOTE.format(**facts).encode())
    return page.post(reverse("bill-file"), {"file": file, "key": "k"})


def test_a_file_credits_the_claim_and_the_freight_of_the_bill_it_corrects(returned, signed_in):
    page = signed_in("costs")
    shown = sent(page)
    form, target = shown.context["form"], shown.context["target"]
    asked = {name: form[name].value() for name in form.fields if form[name].value() not in (None, False)}
    case = returned.back.notes.get().case
    charge = returned.bill.lines.get(charge__isnull=False).charge
    assert shown.status_code == 200
    assert (asked[f"amount-c{case.pk}"], asked[f"amount-x{charge.pk}"]) == ("73.6", "6")
    wrong = page.post(target, asked | {"day": TODAY.isoformat(), "total": "80.60"})
    assert wrong.status_code == 422 and b"79.60" in wrong.content
    booked = page.post(target, asked | {"day": TODAY.isoformat(), "total": "79.60"})
    note = Bill.objects.get(kind="credit")
    assert booked.url == reverse("bill", args=[note.pk]) and note.total == D("79.60")
    charge.refresh_from_db()
    assert charge.billed == 6
    assert [one[0] for one in open_claims([case.pk]).values()] == [D("110.40")]
    assert book_faults() == []
    assert Document.objects.filter(kind="bill", record=note.pk, name="cn.xml").exists()


@pytest.mark.parametrize(
    ("facts", "words"),
    [({"bill": "S-404"}, b"No line of the credit note fits"), ({"currency": "EUR"}, b"The paper is in EUR")],
)
def test_a_file_that_credits_nothing_of_ours_is_refused(returned, signed_in, facts, words):
    answer = sent(signed_in("costs"), **facts)
    assert answer.status_code == 422 and words in answer.content


def test_what_fits_nothing_is_shown_and_left_out(returned, signed_in):
    more = "<cac:CreditNoteLine><cbc:ID>2</cbc:ID><cbc:LineExtensionAmount>5</cbc:LineExtensionAmount>"
    more += "<cac:Item><cac:BuyersItemIdentification><cbc:ID>ZZ</cbc:ID></cac:BuyersItemIdentification></cac:Item>"
    shown = sent(signed_in("costs"), more=more + "</cac:CreditNoteLine>")
    assert [one.item for one in shown.context["unknown"]] == ["ZZ"]


def test_a_return_drafts_its_credit_note_with_the_tax_of_its_bill(returned, signed_in):
    page = signed_in("costs")
    address = f"{reverse('credit-note')}?return={returned.back.pk}"
    form = page.get(address).context["form"]
    case = returned.back.notes.get().case
    # 184.00 of 196.00 that bore 19.60.
    assert (form[f"amount-c{case.pk}"].value(), form["tax"].value()) == ("184.00", "18.4")
    asked = {name: form[name].value() for name in form.fields if form[name].value() not in (None, False)}
    page.post(address, asked | {"bill_number": "CN-1", "day": TODAY.isoformat()})
    assert Bill.objects.get(kind="credit").total == D("202.40")
    assert open_claims([case.pk]) == {} and book_faults() == []
    assert (
        b"there is no debit note"
        in page.get(reverse("return-debit", args=[returned.back.pk, "pdf"]), follow=True).content
    )


def test_a_debit_note_says_what_is_claimed(returned, signed_in):
    page = signed_in("costs")
    case = returned.back.notes.get().case
    for name, key in (("return-debit", returned.back.pk), ("case-debit", case.pk)):
        root = etree.fromstring(page.get(reverse(name, args=[key, "xml"])).content)
        assert root.findtext("cac:RequestedMonetaryTotal/cbc:PayableAmount", "", SPACES) == "184.00"
        assert root.findtext("cac:DebitNoteLine/cbc:DebitedQuantity", "", SPACES) == "10"
        assert root.findtext("cac:BillingReference/cac:InvoiceDocumentReference/cbc:ID", "", SPACES) == "S-1"
        assert page.get(reverse(name, args=[key, "pdf"])).content.startswith(b"%PDF")
