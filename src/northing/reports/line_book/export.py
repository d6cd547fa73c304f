"""The line book as a file: what is seen, with real numbers and days, and totals at the end."""

from collections.abc import Callable, Iterator
from datetime import date
from decimal import Decimal
from typing import Any

from northing.core.money.exact import round_to
from northing.core.money.money import minor_units
from northing.core.positions.places import PLACES
from northing.core.worklist.moves import PARTIES
from northing.formats.tables import csv_line
from northing.reports.line_book.asked import Asked
from northing.reports.line_book.rows import every_row, totals
from northing.reports.line_book.where import Where

Cell = str | Decimal | date | int | None
Reader = Callable[[dict[str, Any]], Cell]


def _fields(asked: Asked, today: date) -> list[tuple[str, int, Reader]]:
    """(heading, width, how to read a cell) of every column of the file; the strip becomes a column for each place."""
    found: list[tuple[str, int, Reader]] = []
    for column, _ in asked.columns:
        found += _of_column(column.key, column.kind, column.label.replace("\u00ad", ""), today)
    return found


def _of_column(key: str, kind: str, label: str, today: date) -> list[tuple[str, int, Reader]]:
    name = f"col_{key}"
    if kind == "strip":
        return [(place.replace("_", " "), 12, lambda row, place=place: _plain(row[place])) for place in PLACES]
    if kind == "item":
        return [(label, 14, lambda row: row["code"]), ("Description", 34, lambda row: row["description"])]
    if kind == "quantity":
        return [(label, 11, lambda row: _plain(row[name])), (f"{label}, unit", 6, lambda row: row["unit"])]
    if kind in ("money", "base"):
        code = "currency" if kind == "money" else "base"
        return [
            (label, 14, lambda row: round_to(row[name], minor_units(row[code]))),
            (f"{label}, currency", 8, lambda row: row[code]),
        ]
    if kind == "move":
        return [(label, 16, lambda row: PARTIES.get(row[name], "no one's move"))]
    if key == "expected_on":
        return [(label, 12, lambda row: max(row[name], today) if row[name] else None)]
    return [(label, 20 if kind == "text" else 12, lambda row: row[name])]


def _plain(value: Decimal) -> Decimal:
    """Without the zeros that only the database needs."""
    return value.quantize(Decimal(1)) if value == value.to_integral_value() else value.normalize()


def heading(asked: Asked, today: date) -> tuple[list[str], list[int]]:
    """Headings and widths."""
    fields = _fields(asked, today)
    return [label for label, *_ in fields], [width for _, width, _ in fields]


def file_rows(asked: Asked, found: Where, today: date) -> Iterator[list[Cell]]:
    """Every line as cells, then a total for each base currency."""
    readers = [reader for *_, reader in _fields(asked, today)]
    for row in every_row(asked, found):
        yield [reader(row) for reader in readers]
    for total in totals(found):
        yield total_row(total, len(readers))


def total_row(total: dict[str, Any], width: int) -> list[Cell]:
    """The outstanding amount of all lines, in one base currency."""
    code = total["currency"]
    cells: list[Cell] = [
        f"Total {code}",
        f"{total['lines']} lines, value outstanding",
        round_to(total["value"], minor_units(code)),
        code,
    ]
    return (cells + [None] * width)[: max(width, len(cells))]


def csv_lines(asked: Asked, found: Where, today: date) -> Iterator[str]:
    """The file as text; the mark at its start tells spreadsheets that it is UTF-8."""
    yield "\ufeff" + csv_line(heading(asked, today)[0])
    for cells in file_rows(asked, found, today):
        yield csv_line(cells)
