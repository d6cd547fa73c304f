"""CSV tables in: values, and faults in words."""

from datetime import date
from decimal import Decimal as D

import pytest

from northing.core.problems import Refused
from northing.formats.tables import LARGEST, read_rows


def test_commas_or_semicolons_with_or_without_a_mark_of_the_byte_order():
    for text in ("Item,Qty\nA,1.50\n\nB,2\n", "\ufeffitem;qty\r\nA;1.50\r\n\r\n B ;2\r\n"):
        rows = read_rows(text.encode(), ["item", "qty"])
        assert [(row.number, row.text("item"), row.decimal("qty")) for row in rows] == [
            (2, "A", D("1.50")),
            (4, "B", 2),
        ]


def test_cells_are_read_exactly_or_refused_by_row_and_column():
    row = read_rows(b"a,b,c,d,e\n1e3,2026-11-24,,x,0202-01-01\n", "abcd")[0]
    assert row.day("b") == date(2026, 11, 24)
    assert row.text("c", "none") == "none"
    for read, words in (
        (lambda: row.decimal("a"), "Row 2, a: '1e3' is not a number with a decimal point"),
        (lambda: row.day("d"), "Row 2, d: 'x' is not a day like 2026-11-24"),
        (lambda: row.day("e"), "Row 2, e: year 202 is not plausible"),
        (lambda: row.text("c"), "Row 2, c: is empty"),
        (lambda: row.text("b", longest=9), "Row 2, b: is not a text of at most 9 characters"),
    ):
        with pytest.raises(Refused, match=words):
            read()


@pytest.mark.parametrize(
    ("content", "words"),
    [
        (b"", "is empty"),
        (b"a\n1\n", "lacks the columns b"),
        (b"\xff\xfe", "not UTF-8"),
        (b'a,b\n"' + b"x" * 200_000, "not a CSV table"),
        (b"a" * (LARGEST + 1), "larger than 20 MB"),
    ],
)
def test_what_is_no_such_table(content, words):
    with pytest.raises(Refused, match=words):
        read_rows(content, ["a", "b"])
