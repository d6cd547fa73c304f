"""Tables whose columns are called by name, and the cells of them, as facts of the trade."""

from collections.abc import Collection, Iterator, Mapping
from datetime import date
from decimal import Decimal
from pathlib import Path

from northing.core.money.exact import read_exact
from northing.core.money.periods import day_problems
from northing.core.problems import Problem, Refused
from northing.formats import grids

SMALLEST = Decimal("0.000001")


def read_named(
    path: Path, names: Collection[str], needed: Collection[str], most: int, what: str
) -> Iterator[tuple[int, dict[str, str]]]:
    """Rows of a CSV table or an XLSX workbook as (number as a spreadsheet counts, cells by name).

    Columns that are not among `names` are left out. Raises Refused where one is missing that is `needed`, or `what`
    is of more than `most` rows; at once or while the rows are read.
    """
    _, rows = grids.read_grid(path)
    header: list[str] | None = None
    read = 0
    for place, cells in rows:
        if header is None:
            header = [name.strip().lower().replace(" ", "_") for name in cells]
            missing = [name for name in needed if name not in header]
            if missing:
                says = f"The file lacks the columns {', '.join(missing)}."
                raise Refused(Problem(says, "file", "Name them in the first row."))
            continue
        read += 1
        if read > most:
            raise Refused(Problem(f"The {what} has more than {most:,} rows.", "file", "Split it."))
        yield place, {name: cell for name, cell in zip(header, cells, strict=False) if name in names}


def not_too_long(said: Mapping[str, str], longest: Mapping[str, int], where: str) -> None:
    """Raises Refused where a cell is longer than its most characters."""
    for name, most in longest.items():
        if len(said.get(name, "")) > most:
            raise Refused(Problem(f"{where}, {name}: longer than {most} characters.", "file"))


def units(said: str, where: str, *, least: Decimal = SMALLEST) -> Decimal:
    """A quantity of at least so much, to six decimals. Raises Refused."""
    try:
        value = read_exact(said.strip().replace(" ", ""))
    except ValueError:
        raise Refused(Problem(f"{where}: {said[:20]!r} is not a number with a decimal point.", "file")) from None
    if not least <= value < Decimal(10) ** 12 or round(value, 6) != value:
        raise Refused(Problem(f"{where}: {said[:20]!r} is not a quantity anybody sends.", "file"))
    return value


def day(said: str, where: str) -> date:
    """A day as ISO 8601 writes it. Raises Refused."""
    try:
        found = date.fromisoformat(said[:10])
    except ValueError:
        raise Refused(Problem(f"{where}: {said[:20]!r} is not a day like 2026-11-24.", "file")) from None
    if day_problems(found, "file"):
        raise Refused(Problem(f"{where}: year {found.year} is not plausible.", "file"))
    return found


def box_number(said: str) -> str:
    """A container's number without the blanks and hyphens that people write."""
    return said.upper().replace(" ", "").replace("-", "")
