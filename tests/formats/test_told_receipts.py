"""Receipts of a contract warehouse as tables and as UBL: read, and refused in words."""

from datetime import date
from decimal import Decimal as D

import pytest

from northing.core.problems import Refused
from northing.formats.receipt_advice import Advice, AdviceLine, AdviceParty, advice_xml
from northing.formats.told_receipts import ToldLine, read_told

DAY = date(2026, 11, 24)


def said(tmp_path, content):
    path = tmp_path / "told"
    path.write_bytes(content.encode() if isinstance(content, str) else content)
    return read_told(path)


def test_a_table(tmp_path):
    told = said(
        tmp_path,
        "Advice;Received on;Note;Order;Line;Item;Quantity;Rest;Container;Lot;Best before;Serials;SSCC;Bin;Condition\n"
        "W-7;2026-11-24;DN 1;KLN-00001;2;;12.5;No more;qxnu 100001-6;L7;2027-11-30;;;A-01;\n"
        ";;DN 1;;;KET-17;0;;;;;;;;\n"
        ";;DN 2;;;KET-17;3;;;;;KT-1..KT-3;;;Damaged\n",
    )
    assert (told.number, told.received_on, told.remark) == ("W-7", DAY, "")
    assert told.lines == (
        ToldLine(
            2, "KLN-00001", "2", "", D("12.5"), "no more", "QXNU1000016", "L7", date(2027, 11, 30), bin="A-01",
            note="DN 1",
        ),
        ToldLine(3, "", "", "KET-17", D(0), note="DN 1"),
        ToldLine(
            4, "", "", "KET-17", D(3), serials=("KT-1", "KT-2", "KT-3"), condition="damaged", note="DN 2",
        ),
    )  # fmt: skip


LINES = (
    AdviceLine("KET-17", "Kettle", "pc", D(3), D(1), order="KLN-1", line="2", lot="L7", best_before=DAY),
    AdviceLine("CUP", "Cup", "pc", D(2), order="KLN-1", line="3", serials=("K1", "K2")),
    AdviceLine("TEA", "Tea", "pc", D(5)),
)
PARTIES = (AdviceParty("Kestrel", "", "NZ"), AdviceParty("Qinlaro", "Ningbo", "CN"))


def advice(*lines):
    return advice_xml(Advice("KLN-R00001", DAY, "DN 1", *PARTIES, lines, "one wet"))


def test_what_we_write_we_read(tmp_path):
    told = said(tmp_path, advice(*LINES))
    assert (told.number, told.received_on, told.remark) == ("KLN-R00001", DAY, "one wet")
    assert told.lines == (
        ToldLine(1, "KLN-1", "2", "KET-17", D(3), lot="L7", best_before=DAY, note="DN 1"),
        ToldLine(2, "KLN-1", "3", "CUP", D(2), serials=("K1", "K2"), note="DN 1"),
        ToldLine(3, "KLN-1", "", "TEA", D(5), note="DN 1"),
    )


REJECTED = b"<cbc:RejectedQuantity>2</cbc:RejectedQuantity>"


def rejected(quantity=b"2", line=LINES[0]):
    received = advice(line).replace(b"<cbc:ShortQuantity", REJECTED + b"<cbc:ShortQuantity", 1)
    return received.replace(b">2</cbc:Rejected", b">" + quantity + b"</cbc:Rejected")


def test_rejected_units_are_damaged(tmp_path):
    rows = said(tmp_path, rejected()).lines
    assert [(row.number, row.quantity, row.condition, row.lot) for row in rows] == [
        (1, 1, "", "L7"),
        (1, 2, "damaged", "L7"),
    ]
    assert [row.condition for row in said(tmp_path, rejected(b"3")).lines] == ["damaged"]


HEAD = "item,quantity,received_on\n"
TWO_LOTS = (
    b"</cac:ItemInstance><cac:ItemInstance><cac:LotIdentification><cbc:LotNumberID>L8</cbc:LotNumberID>"
    b"</cac:LotIdentification></cac:ItemInstance>"
)


@pytest.mark.parametrize(
    ("content", "words"),
    [
        ("", "empty"),
        ("item\nA\n", "lacks the columns quantity"),
        (HEAD, "no row"),
        (HEAD + "A,-1,\n", "Row 2, quantity: '-1' is not a quantity anybody sends"),
        (HEAD + "A,x,\n", "Row 2, quantity: 'x' is not a number"),
        (HEAD + "A,.,\n", "Row 2, quantity: '.' is not a number"),
        (HEAD + "A,,\n", "Row 2, quantity: '' is not a number"),
        (HEAD + ",1,\n", "Row 2: neither an item nor a line"),
        (HEAD + "A,1,yesterday\n", "is not a day like"),
        (HEAD + f"{'A' * 41},1,\n", "Row 2, item: longer than 40"),
        ("item,quantity,rest\nA,1,later\n", "Row 2, rest: 'later' is none of coming, no more, dispute"),
        ("item,quantity,condition\nA,1,wet\n", "none of damaged, inspect"),
        ("item,quantity,serials\nA,1,K9..K1\n", "Row 2, serials:"),
        ("item,quantity\n" + "A,1\n" * 501, "more than 500 rows"),
        ("<x/>", "not a UBL ReceiptAdvice"),
        ("<!DOCTYPE x><x/>", "declares a document type"),
        (advice(*LINES[:1] * 501), "more than 500 lines"),
        (rejected(b"4"), "line 1: 4 of 3 are rejected"),
        (rejected(b"-1"), "line 1: -1 of 3 are rejected"),
        (advice(*LINES[:1]).replace(b"</cac:ItemInstance>", TWO_LOTS, 1), "names 2 lots, and not how many of each"),
        (
            rejected(line=AdviceLine("CUP", "", "pc", D(3), D(1), serials=("1", "2", "3"))),
            "does not say which of its units are rejected",
        ),
    ],
)
def test_what_cannot_be_meant_is_refused_in_words(tmp_path, content, words):
    with pytest.raises(Refused) as refused:
        said(tmp_path, content)
    assert words in str(refused.value.problems[0].what)
