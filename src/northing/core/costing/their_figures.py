"""The office's figures in the place of ours: what it asks for a group of lines, and as import tax."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from decimal import Decimal

from northing.core.costing.customs import DUTY
from northing.core.costing.landed_cost import CostSheet, LineCost
from northing.core.money.exact import divide, plus, times
from northing.core.money.money import all_from_minor, from_minor, rounded, to_minor
from northing.core.money.spread import spread, whole_weights

ZERO = Decimal(0)


@dataclass(frozen=True)
class Theirs:
    """What the office asks: duty by group (its place in `groups_of`), extra duties with it, and import tax; what is not
    there is as we reckoned it.
    """

    duty: Mapping[int, Decimal] = field(default_factory=dict)
    tax: Decimal | None = None


def groups_of(sheet: CostSheet) -> list[tuple[int, ...]]:
    """The lines of each group (positions); all of them as one where duty is reckoned line by line."""
    return [group.lines for group in sheet.groups] or [tuple(range(len(sheet.lines)))]


def ours_by_group(sheet: CostSheet) -> list[Decimal]:
    """Our duty of each group, with extra duties."""
    return [plus(sheet.lines[place].duty for place in lines) for lines in groups_of(sheet)]


def with_theirs(
    sheet: CostSheet, theirs: Theirs, quantities: Sequence[Decimal], reclaimable: Decimal, currency: str
) -> CostSheet:
    """The sheet as the office reckons it: a group's duty over its lines by ours (all 0: by customs values), the largest
    remainder first; the part of its tax that is not reclaimed over the lines by ours likewise.

    The difference of a line stands in its duty, not in an extra one. `reclaimable` is the part of the tax, 0 to 1.
    """
    lines = [replace(line, duties=dict(line.duties)) for line in sheet.lines]
    for place, asked in theirs.duty.items():
        group = [lines[position] for position in groups_of(sheet)[place]]
        for line, share in zip(group, _shares(asked, group, [line.duty for line in group], currency), strict=True):
            line.duties[DUTY] = plus((line.duties.get(DUTY, ZERO), share, -line.duty))
            line.duty = share
    tax = sheet.tax if theirs.tax is None else theirs.tax
    reclaimed = rounded(times(tax, reclaimable), currency)
    if theirs.tax is not None:
        kept = plus((tax, -reclaimed))
        for line, share in zip(lines, _shares(kept, lines, [one.import_tax for one in lines], currency), strict=True):
            line.import_tax = share
    for line, quantity in zip(lines, quantities, strict=True):
        line.landed = plus((line.goods, line.duty, line.import_tax, *line.charges.values()))
        line.unit = divide(line.landed, quantity, 4)
    zero = from_minor(0, currency)
    duty, landed = (plus((zero, *(getattr(line, name) for line in lines))) for name in ("duty", "landed"))
    return CostSheet(lines, duty, sheet.tax_base, tax, reclaimed, landed, sheet.groups)


def _shares(amount: Decimal, lines: Sequence[LineCost], ours: Sequence[Decimal], currency: str) -> list[Decimal]:
    weights = ours if any(ours) else [line.customs_value for line in lines]
    weights = weights if any(weights) else [Decimal(1)] * len(lines)
    return all_from_minor(spread(to_minor(amount, currency), whole_weights(weights)), currency)
