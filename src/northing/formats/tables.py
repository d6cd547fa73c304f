"""CSV tables: in, bytes to rows with problems that name the row and the column; out, rows to lines of text."""

import csv
import io
from collections.abc import Iterable
from dataclasses import dataclass
from datetime import date
from decimal import Decimal

from northing.core.money.exact import read_exact
from northing.core.money.periods import day_problems
from northing.core.problems import Problem, Refused

LARGEST = 20_000_000


@dataclass(frozen=True, slots=True)
class Row:
    """One row of a table; `number` counts as a spreadsheet does, the header being row 1."""

    number: int
    cells: dict[str, str]

    def text(self, column: str, absent: str | None = None, longest: int = 60) -> str:
        """The trimmed text of a cell; Refused when it is too long, or empty with nothing that stands for it."""
        value = self.cells.get(column, "")
        if not value and absent is None:
            raise self.refused(column, "is empty")
        if len(value) > longest or "\x00" in value:
            raise self.refused(column, f"is not a text of at most {longest} characters")
        return value or absent or ""

    def decimal(self, column: str) -> Decimal:
        """An exact number with a decimal point."""
        try:
            return read_exact(self.text(column))
        except ValueError:
            raise self.refused(column, f"{self.text(column)!r} is not a number with a decimal point") from None

    def day(self, column: str) -> date:
        """A date as 2026-11-24."""
        try:
            day = date.fromisoformat(self.text(column))
        except ValueError:
            raise self.refused(column, f"{self.text(column)!r} is not a day like 2026-11-24") from None
        if day_problems(day, column):
            raise self.refused(column, f"year {day.year} is not plausible")
        return day

    def refused(self, column: str, what: str) -> Refused:
        """A refusal that names this cell."""
        return Refused(Problem(f"Row {self.number}, {column}: {what}.", column))


def read_rows(content: bytes, columns: Iterable[str]) -> list[Row]:
    """The rows of a UTF-8 CSV file with a header line; commas or semicolons. Raises Refused.

    >>> read_rows(b"item,quantity\\nKET-17,240\\n", ["item", "quantity"])[0].decimal("quantity")
    Decimal('240')
    """
    if len(content) > LARGEST:
        raise Refused(Problem("The file is larger than 20 MB.", mend="Split it."))
    try:
        text = content.decode("utf-8-sig")
    except UnicodeDecodeError:
        raise Refused(Problem("The file is not UTF-8 text.", mend="Save it as CSV UTF-8.")) from None
    first = text.partition("\n")[0]
    reader = csv.reader(io.StringIO(text), delimiter=";" if first.count(";") > first.count(",") else ",")
    try:
        table = [(number, cells) for number, cells in enumerate(reader, 1) if any(cells)]
    except csv.Error as error:
        raise Refused(Problem(f"The file is not a CSV table: {error}.")) from None
    if not table:
        raise Refused(Problem("The file is empty."))
    header = [name.strip().lower() for name in table[0][1]]
    missing = [name for name in columns if name not in header]
    if missing:
        raise Refused(Problem(f"The file lacks the columns {', '.join(missing)}.", mend="Name them in the first row."))
    return [
        Row(number, dict(zip(header, (cell.strip() for cell in cells), strict=False))) for number, cells in table[1:]
    ]


def harmless(text: str) -> str:
    """A text that no spreadsheet takes for a formula.

    >>> harmless("=1+1"), harmless("-5 °C"), harmless("KET-17")
    ("'=1+1", "'-5 °C", 'KET-17')
    """
    return f"'{text}" if text[:1] in ("=", "+", "-", "@", "\t", "\r") else text


def unharmed(text: str) -> str:
    """The text that `harmless` was given.

    >>> unharmed("'=1+1"), unharmed("'tis")
    ('=1+1', "'tis")
    """
    return text[1:] if text[:1] == "'" and harmless(text[1:]) == text else text


def csv_line(cells: Iterable[str | Decimal | date | int | None]) -> str:
    """One line of CSV: numbers and days plain, texts harmless, nothing for None.

    >>> csv_line(["@x", Decimal("1200.50"), date(2026, 3, 12), None])
    "'@x,1200.50,2026-03-12,\\r\\n"
    """
    out = io.StringIO()
    csv.writer(out).writerow([_written(cell) for cell in cells])
    return out.getvalue()


def _written(cell: str | Decimal | date | int | None) -> str:
    if cell is None:
        return ""
    if isinstance(cell, str):
        return harmless(cell)
    return format(cell, "f") if isinstance(cell, Decimal) else str(cell)
