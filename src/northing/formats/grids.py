"""Tables in, as people send them: CSV in whatever encoding and delimiter, XLSX workbooks; row by row.

Nothing is believed of a file: how large it unpacks, how wide it is and what it declares is looked at first.
"""

import csv
import io
import time
import zipfile
from collections.abc import Iterator
from datetime import date, datetime
from decimal import Decimal
from pathlib import Path

import openpyxl

from northing.core.money.exact import plain
from northing.core.problems import Problem, Refused
from northing.formats.markup import declares_type

LARGEST = 50_000_000
MOST_ROWS, MOST_COLUMNS, LONGEST_CELL = 250_000, 120, 2_000
# A workbook that unpacks to more than this, or that many times its size, is no table of orders.
MOST_UNPACKED, MOST_TIMES, MOST_PARTS = 400_000_000, 150, 400
# Texts are read before the first row is; a row far below the table would be looked for through a million empty ones.
TEXTS, MOST_TEXTS, MOST_EMPTY = "xl/sharedStrings.xml", 500_000, 2_000
# Seconds that reading may take, whatever the file is.
LONGEST = 90.0
CHUNK = 65_536
WORKBOOK = b"PK\x03\x04"

Grid = Iterator[tuple[int, list[str]]]


def read_grid(path: Path) -> tuple[str, Grid]:
    """The format that the file was read as, in words, and its rows as (number as a spreadsheet counts, cells).

    Empty rows are left out; cells are trimmed. Numbers of a workbook come as they are seen, days as 2026-11-24.
    Raises Refused, at once or while the rows are read.
    """
    size = path.stat().st_size
    if size > LARGEST:
        raise Refused(Problem(f"The file is larger than {LARGEST // 1_000_000} MB.", "file", "Split it."))
    if not size:
        raise Refused(Problem("The file is empty.", "file", "Choose another."))
    with path.open("rb") as file:
        head = file.read(65_536)
    if head.startswith(WORKBOOK):
        return "an XLSX workbook, its first sheet", _in_time(_workbook(path, size))
    encoding, said = _encoding(path, head)
    first = head.decode(encoding, "replace").partition("\n")[0]
    delimiter = max(",;\t", key=first.count)
    if first.count(delimiter) >= MOST_COLUMNS:
        raise _too_wide(1)
    names = {",": "commas", ";": "semicolons", "\t": "tabs"}
    return f"a CSV table in {said}, with {names[delimiter]}", _in_time(_csv(path, encoding, delimiter))


def _in_time(grid: Grid) -> Grid:
    """The rows, as long as reading them takes no longer than any table does; the time of who takes them is theirs."""
    spent = 0.0
    while True:
        began = time.perf_counter()
        row = next(grid, None)
        spent += time.perf_counter() - began
        if row is None:
            return
        if spent > LONGEST:
            raise Refused(
                Problem(f"The file is not read after {LONGEST:.0f} seconds.", "file", "Split it, or send CSV.")
            )
        yield row


def _too_wide(number: int) -> Refused:
    return Refused(Problem(f"Row {number} has more than {MOST_COLUMNS} columns.", "file", "Take the others out."))


def _encoding(path: Path, head: bytes) -> tuple[str, str]:
    """UTF-8 where the bytes are, else what spreadsheets of western Europe write; the person is told which."""
    if head.startswith((b"\xff\xfe", b"\xfe\xff")):
        return "utf-16", "UTF-16"
    if b"\x00" in head:
        raise Refused(Problem("The file is not a table.", "file", "Send CSV or XLSX."))
    try:
        with path.open(encoding="utf-8-sig", newline="") as file:
            while file.read(1 << 20):
                pass
    except UnicodeDecodeError:
        return "cp1252", "Latin-1 (look at the accents)"
    return "utf-8-sig", "UTF-8"


def _csv(path: Path, encoding: str, delimiter: str) -> Grid:
    csv.field_size_limit(LONGEST_CELL * 10)
    number = 0
    try:
        with path.open(encoding=encoding, errors="replace", newline="") as file:
            for number, cells in enumerate(csv.reader(_lines(file), delimiter=delimiter), 1):
                if len(cells) > MOST_COLUMNS:
                    raise _too_wide(number)
                trimmed = [cell.strip().replace("\x00", "") for cell in cells]
                if any(trimmed):
                    yield _bounded(number), trimmed
    except csv.Error as error:
        raise Refused(Problem(f"Below row {number} the file is no CSV table: {error}.", "file")) from None


def _lines(file: io.TextIOBase) -> Iterator[str]:
    """Lines of a bounded length: a line of gigabytes is never held."""
    longest = MOST_COLUMNS * LONGEST_CELL
    while line := file.readline(longest):
        if len(line) == longest:
            raise Refused(Problem(f"A line is longer than {longest} characters.", "file"))
        yield line


def _bounded(number: int) -> int:
    if number > MOST_ROWS:
        raise Refused(Problem(f"The file has more than {MOST_ROWS:,} rows.", "file", "Split it."))
    return number


def _workbook(path: Path, size: int) -> Grid:
    try:
        with zipfile.ZipFile(path) as archive:
            _look_inside(archive, size)
        with path.open("rb") as file:
            book = openpyxl.load_workbook(file, read_only=True, data_only=True, keep_links=False)
            sheet = book.worksheets[0]
            sheet.reset_dimensions()
            last = 0
            for number, row in enumerate(sheet.iter_rows(values_only=True, max_col=MOST_COLUMNS), 1):
                cells = [_seen(cell) for cell in row]
                while cells and not cells[-1]:
                    cells.pop()
                if cells:
                    last = number
                    yield _bounded(number), cells
                elif number - last > MOST_EMPTY:
                    what = f"Below row {last} more than {MOST_EMPTY:,} rows are empty, and the sheet goes on."
                    raise Refused(Problem(what, "file", "Delete the rows below the table, or send CSV."))
    except Refused:
        raise
    except Exception as error:
        # openpyxl raises whatever it stumbles on; to the sender all of it means the same.
        raise Refused(Problem("The workbook cannot be read.", "file", "Save it anew as XLSX, or send CSV.")) from error


def _look_inside(archive: zipfile.ZipFile, size: int) -> None:
    parts = archive.infolist()
    unpacked = sum(part.file_size for part in parts)
    if len(parts) > MOST_PARTS or unpacked > min(MOST_UNPACKED, max(size * MOST_TIMES, 10_000_000)):
        raise Refused(Problem("The workbook unpacks to more than any table of orders.", "file", "Send CSV."))
    for part in parts:
        if part.filename == TEXTS and _texts(archive, part) > MOST_TEXTS:
            what = f"The workbook holds more than {MOST_TEXTS:,} texts."
            raise Refused(Problem(what, "file", "Split it, or send CSV."))
        if part.filename.endswith((".xml", ".rels")):
            with archive.open(part) as opened:
                if declares_type(iter(lambda: opened.read(CHUNK), b"")):
                    raise Refused(Problem("The workbook declares a document type.", "file", "Save it anew as XLSX."))


def _texts(archive: zipfile.ZipFile, part: zipfile.ZipInfo) -> int:
    """About how many texts the workbook keeps beside its sheets; counting stops where there are too many."""
    found = 0
    with archive.open(part) as opened:
        while found <= MOST_TEXTS and (some := opened.read(CHUNK)):
            found += some.count(b"<si")
    return found


def _seen(cell: object) -> str:
    """A cell as its reader sees it: a number in the fewest digits that mean it, never in binary."""
    if cell is None:
        return ""
    if isinstance(cell, bool):
        return "yes" if cell else "no"
    if isinstance(cell, float):
        return plain(Decimal(repr(cell)))
    if isinstance(cell, datetime):
        return cell.date().isoformat()
    if isinstance(cell, date):
        return cell.isoformat()
    return str(cell)[:LONGEST_CELL].strip().replace("\x00", "")
