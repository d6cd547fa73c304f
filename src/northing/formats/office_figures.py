"""What a customs office asks, as a table: duty by HS code and origin, and import tax; a row for each group or line."""

from collections.abc import Sequence
from dataclasses import dataclass, field
from decimal import Decimal
from pathlib import Path

from northing.core.money.exact import plain, read_exact
from northing.core.problems import Problem, Refused, refuse_if
from northing.formats.named_rows import read_named

MOST = 5_000
COLUMNS = ("hs", "origin", "duty", "import_tax")
LARGEST = Decimal("999999999999")


@dataclass
class OfficeFigures:
    """The office's duty by the place of a group, and its import tax; None where the table does not say it."""

    duty: dict[int, Decimal] = field(default_factory=dict)
    tax: Decimal | None = None


def read_office_figures(path: Path, groups: Sequence[tuple[str, str]]) -> OfficeFigures:
    """The figures of a table for groups, each (HS code, origin). Rows of the same group are added up.

    A code fits where it begins as the group's does, or the other way round: offices write longer or shorter ones. A
    row without a code is for all, where there is one group. Raises Refused with every row that fits none, or several.
    """
    found, problems = OfficeFigures(), []
    for number, row in read_named(path, COLUMNS, ("duty",), MOST, "table"):
        where = f"Row {number}"
        duty, tax = (_amount(row.get(name, ""), where, name) for name in ("duty", "import_tax"))
        if tax is not None:
            found.tax = (found.tax or Decimal(0)) + tax
        if duty is None:
            continue
        fit = _fitting(row, groups)
        if len(fit) != 1:
            said = " ".join(filter(None, (row.get("hs", ""), row.get("origin", "")))) or "no code"
            which = "fits none of our groups" if not fit else "fits several of our groups"
            problems.append(Problem(f"{where}: {said} {which}.", "file", "Correct it, or type the figures."))
            continue
        found.duty[fit[0]] = found.duty.get(fit[0], Decimal(0)) + duty
    refuse_if(problems)
    if not found.duty and found.tax is None:
        raise Refused(Problem("The table says no figures.", "file", f"Its columns are {', '.join(COLUMNS)}."))
    return found


def _fitting(row: dict[str, str], groups: Sequence[tuple[str, str]]) -> list[int]:
    code = row.get("hs", "").replace(".", "").replace(" ", "")
    origin = row.get("origin", "").strip().upper()
    near = [
        place
        for place, (hs, where) in enumerate(groups)
        if (hs.startswith(code) or code.startswith(hs)) and origin in ("", where)
    ]
    same = [place for place in near if groups[place][0] == code]
    return same or near


def _amount(said: str, where: str, name: str) -> Decimal | None:
    if not said.strip():
        return None
    try:
        amount = read_exact(said.strip().replace(",", "").replace(" ", ""))
    except ValueError:
        raise Refused(Problem(f"{where}, {name}: {said[:20]!r} is no plain number.", "file")) from None
    if not 0 <= amount <= LARGEST:
        raise Refused(Problem(f"{where}, {name}: {plain(amount)} is no amount an office asks.", "file"))
    return amount
