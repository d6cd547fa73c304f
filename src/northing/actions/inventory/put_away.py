"""Put away what lies at the dock: into the proposed bins, or elsewhere for a reason."""

from collections import defaultdict
from collections.abc import Sequence
from dataclasses import dataclass
from decimal import Decimal

from northing.access.acts import Act
from northing.actions.inventory.move import MoveRequest, Row, relocate
from northing.activity.operations import once
from northing.core.inventory.bins import Goods, Proposal, Shelf, suits_as_well
from northing.core.problems import Problem
from northing.inventory.models import BinMove, Status
from northing.inventory.queries import shelves_of
from northing.masterdata.models import Bin
from northing.reports.proposed_bins import Wanted, proposed_bins

ZERO = Decimal(0)


@dataclass(frozen=True)
class PutAwayRequest:
    """Goods that lie in dock bins, and the bins they are put into."""

    rows: tuple[MoveRequest, ...]


@once
def put_away(act: Act, request: PutAwayRequest) -> int:
    """The goods lie in their bins. Returns the id of the move, by which it is undone."""
    return relocate(act, request.rows, BinMove.What.PUT_AWAY, check=_problems).pk


def _problems(rows: Sequence[Row]) -> list[Problem]:
    """Goods that do not lie at the dock, and those that go elsewhere than proposed without a reason."""
    found = [
        Problem(f"{row.source} is in the store already.", row.asked.field("quantity"), "Move what lies in the store.")
        for row in rows
        if row.source.purpose == Bin.Purpose.STORE
    ]
    found += [
        Problem(f"{row.target} is at another site.", row.asked.field("target"), "Send the goods there.")
        for row in rows
        if row.target.site_id != row.source.site_id
    ]
    return found or _strays(rows)


def _strays(rows: Sequence[Row]) -> list[Problem]:
    """Rows that go where another bin suits better, and do not say why. A fixed number of statements."""
    units: dict[tuple[int, str], Decimal] = defaultdict(Decimal)
    for row in rows:
        units[_goods(row)] += row.asked.quantity
    # Together, as the queue proposes them: the same goods may need more than one bin, and two of them not the same one.
    first = {_goods(row): row for row in rows}
    wanted = [
        Wanted(key, row.layer.item, row.layer.lot, units[key], row.asked.status != Status.IN_STORE)
        for key, row in first.items()
    ]
    proposed = proposed_bins(rows[0].source.site, wanted)
    shelves = shelves_of({row.target.pk: row.target for row in rows}.values())
    problems = []
    for row in rows:
        best = proposed.get(_goods(row), [])
        if row.asked.reason.strip() or _as_well(row, units[_goods(row)], best, shelves[row.target.pk]):
            continue
        codes = " and ".join(one.code for one in best)
        what = f"{row.layer.item.code} is best put into {codes}: {best[0].why}."
        mend = f"Say why it goes into {row.target}, or put it there."
        problems.append(Problem(what, row.asked.field("reason"), mend))
    return problems


def _goods(row: Row) -> tuple[int, str]:
    return row.layer.pk, row.asked.status


def _as_well(row: Row, units: Decimal, best: Sequence[Proposal], shelf: Shelf) -> bool:
    """Whether the bin that was chosen suits as well as what is proposed."""
    if row.asked.status != Status.IN_STORE:
        return row.target.purpose == Bin.Purpose.QUARANTINE or not best
    goods = Goods(row.layer.item.code, units, row.layer.lot)
    return row.target.purpose == Bin.Purpose.STORE and suits_as_well(shelf, goods, row.layer.item.zone, best)
