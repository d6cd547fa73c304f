"""Tables as people send them: whatever encoding, delimiter and workbook; hostile ones refused."""

import io
import zipfile
from datetime import date, datetime

import openpyxl
import pytest

from northing.core.problems import Refused
from northing.formats.grids import MOST_COLUMNS, read_grid


def grid(tmp_path, content: bytes):
    path = tmp_path / "table"
    path.write_bytes(content)
    said, rows = read_grid(path)
    return said, list(rows)


@pytest.mark.parametrize(
    ("content", "said", "cell"),
    [
        ("item,n\nTée,1\n".encode(), "UTF-8, with commas", "Tée"),
        ("\ufeffitem;n\nTée;1\n".encode(), "UTF-8, with semicolons", "Tée"),
        ("item\tn\r\nTée\t1\r\n".encode("cp1252"), "Latin-1", "Tée"),
        ("item,n\nTée,1\n".encode("utf-16"), "UTF-16", "Tée"),
        (b'item,n\n"a,b\nc",1\n', "commas", "a,b\nc"),
    ],
)
def test_csv_as_it_comes(tmp_path, content, said, cell):
    words, rows = grid(tmp_path, content)
    assert said in words
    assert [cells for _, cells in rows][0] == ["item", "n"] and rows[1][1] == [cell, "1"]


def test_empty_rows_are_left_out_and_numbers_stay_those_of_the_sheet(tmp_path):
    assert grid(tmp_path, b"a,b\n,\n\n1,2\n")[1] == [(1, ["a", "b"]), (4, ["1", "2"])]


@pytest.mark.parametrize(
    ("content", "says"),
    [
        (b"", "empty"),
        (b"a" + b"," * 5_000_000, "more than"),
        (b"a,b\n" + b"1," * 200, "Row 2 has more than"),
        (b"a,b\n" + b"x" * 5_000_000, "longer than"),
        (b"\x7fELF\x00\x01", "not a table"),
        (b"a,b\n" + b'"' + b"x" * 50_000, "no CSV table"),
        (b"PK\x03\x04broken", "cannot be read"),
    ],
)
def test_what_is_no_table_is_refused(tmp_path, content, says):
    with pytest.raises(Refused, match=says):
        grid(tmp_path, content)


def workbook(rows) -> bytes:
    book = openpyxl.Workbook()
    for row in rows:
        book.active.append(row)
    out = io.BytesIO()
    book.save(out)
    return out.getvalue()


def test_a_workbook_is_read_as_it_is_seen(tmp_path):
    rows = [["item", "price", "n", "day", "at"], ["A", 18.4, 240, date(2027, 2, 10), datetime(2027, 2, 10, 9)]]
    said, found = grid(tmp_path, workbook(rows))
    assert "XLSX" in said
    assert found[1] == (2, ["A", "18.4", "240", "2027-02-10", "2027-02-10"])
    assert grid(tmp_path, workbook([[0.1 + 0.2, True, None, 1e15]]))[1] == [(1, ["0.3", "yes", "", "1000000000000000"])]


def packed(parts: dict[str, bytes]) -> bytes:
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as archive:
        for name, content in parts.items():
            archive.writestr(name, content)
    return out.getvalue()


def rebuilt(change) -> bytes:
    source = zipfile.ZipFile(io.BytesIO(workbook([["a", "b"], [1, 2]])))
    parts = {name: source.read(name) for name in source.namelist()}
    return packed(change(parts))


BOMB = b'<?xml version="1.0"?><!DOCTYPE x [<!ENTITY a "aaaa"><!ENTITY b "&a;&a;&a;">]>'


@pytest.mark.parametrize(
    ("content", "says"),
    [
        (rebuilt(lambda parts: parts | {"xl/big.bin": b"0" * 300_000_000}), "unpacks to more"),
        (rebuilt(lambda parts: parts | {f"xl/x{n}": b"" for n in range(500)}), "unpacks to more"),
        (
            rebuilt(lambda parts: parts | {"xl/worksheets/sheet1.xml": BOMB + parts["xl/worksheets/sheet1.xml"]}),
            "document type",
        ),
        (rebuilt(lambda parts: parts | {"xl/sharedStrings.xml": BOMB}), "document type"),
        (
            rebuilt(lambda parts: parts | {"xl/sharedStrings.xml": b"<!--" + b"x" * 100_000 + b"-->" + BOMB[21:]}),
            "document type",
        ),
        (rebuilt(lambda parts: parts | {"xl/sharedStrings.xml": BOMB[21:].decode().encode("utf-16")}), "document type"),
        (rebuilt(lambda parts: parts | {"xl/sharedStrings.xml": b"<sst>" + b"<si/>" * 600_000}), "500,000 texts"),
        (
            rebuilt(
                lambda parts: (
                    parts
                    | {
                        "xl/worksheets/sheet1.xml": b'<worksheet xmlns="http://schemas.openxmlformats.org/spreadsheetml/2006/main">'
                        b'<sheetData><row r="1"><c r="A1"><v>1</v></c></row>'
                        b'<row r="1048576"><c r="A1048576"><v>1</v></c></row></sheetData></worksheet>'
                    }
                )
            ),
            "Below row 1 more than 2,000 rows are empty",
        ),
        (packed({"hello.txt": b"hi"}), "cannot be read"),
        (rebuilt(lambda parts: parts | {"xl/worksheets/sheet1.xml": b"<worksheet><sheetData><row>"}), "cannot be read"),
    ],
)
def test_hostile_workbooks_are_refused(tmp_path, content, says):
    with pytest.raises(Refused, match=says):
        grid(tmp_path, content)


def test_wide_workbooks_are_cut(tmp_path):
    found = grid(tmp_path, workbook([["x"] * 500]))[1]
    assert len(found[0][1]) == MOST_COLUMNS


def test_reading_ends_in_time(tmp_path, monkeypatch):
    monkeypatch.setattr("northing.formats.grids.LONGEST", 0.0)
    with pytest.raises(Refused, match="not read after 0 seconds"):
        grid(tmp_path, b"a,b\n1,2\n")
