"""XLSX workbooks out: one sheet, real numbers and days, written row by row so that memory does not grow."""

from collections.abc import Iterable, Sequence
from datetime import date
from decimal import Decimal
from pathlib import Path

import xlsxwriter

Cell = str | Decimal | date | int | None
MOST_ROWS = 1_048_575


def write_sheet(path: Path, header: Sequence[str], rows: Iterable[Sequence[Cell]], widths: Sequence[int]) -> int:
    """Write the rows under a header that stays in sight; returns how many there were.

    A number of more than 15 digits goes in as text: a spreadsheet would round it.
    """
    options = {"constant_memory": True, "strings_to_formulas": False, "strings_to_urls": False}
    book = xlsxwriter.Workbook(str(path), options)
    day = book.add_format({"num_format": "d mmm yyyy"})
    bold = book.add_format({"bold": True})
    sheet = book.add_worksheet("Lines")
    sheet.freeze_panes(1, 0)
    for place, width in enumerate(widths):
        sheet.set_column(place, place, width)
    for place, name in enumerate(header):
        sheet.write_string(0, place, name, bold)
    written = 0
    for written, row in enumerate(rows, 1):
        if written > MOST_ROWS:
            raise ValueError("a sheet holds no more rows")
        for place, cell in enumerate(row):
            _write(sheet, written, place, cell, day)
    book.close()
    return written


def _write(sheet: "xlsxwriter.worksheet.Worksheet", row: int, place: int, cell: Cell, day: object) -> None:
    if cell is None or cell == "":
        return
    if isinstance(cell, str):
        sheet.write_string(row, place, cell)
    elif isinstance(cell, date):
        sheet.write_datetime(row, place, cell, day)
    elif isinstance(cell, Decimal) and len(cell.normalize().as_tuple().digits) > 15:
        sheet.write_string(row, place, format(cell, "f"))
    else:
        sheet.write_number(row, place, cell)
