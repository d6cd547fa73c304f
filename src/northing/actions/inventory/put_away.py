"""Put away what lies at the dock: into the proposed bins, or elsewhere for a reason."""

from collections.abc import Sequence
from dataclasses import dataclass
from decimal import Decimal

from northing.access.acts import Act
from northing.actions.inventory.move import MoveRequest, Row, relocate
from northing.activity.operations import once
from northing.core.inventory.bins import Goods, Proposal, suits_as_well
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
    return relocate(act, request.rows, BinMove.What.PUT_AWAY, "Put away", check=_problems).pk


def _problems(rows: Sequence[Row]) -> list[Problem]:
    """What does not lie at the dock, or goes elsewhere than proposed without a reason."""
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
    """Rows that go where another bin suits better, and do not say why."""
    problems = []
    for row in rows:
        if row.asked.reason.strip():
            continue
        goods = Goods(row.layer.item.code, _of_same(rows, row), row.layer.lot)
        best = _proposed(row, goods)
        if not _as_well(row, goods, best):
            codes = " and ".join(one.code for one in best)
            what = f"{goods.item} is best put into {codes}: {best[0].why}."
            mend = f"Say why it goes into {row.target}, or put it there."
            problems.append(Problem(what, row.asked.field("reason"), mend))
    return problems


def _of_same(rows: Sequence[Row], row: Row) -> Decimal:
    """The units of the same goods in all rows: together they may need more than one bin."""
    return sum((one.asked.quantity for one in rows if _same(one) == _same(row)), ZERO)


def _same(row: Row) -> tuple[int, str]:
    return row.layer.pk, row.asked.status


def _proposed(row: Row, goods: Goods) -> Sequence[Proposal]:
    wanted = Wanted("", row.layer.item, goods.lot, goods.units, row.asked.status != Status.IN_STORE)
    return proposed_bins(row.source.site, [wanted]).get("", [])


def _as_well(row: Row, goods: Goods, best: Sequence[Proposal]) -> bool:
    if row.asked.status != Status.IN_STORE:
        return row.target.purpose == Bin.Purpose.QUARANTINE or not best
    shelf = shelves_of([row.target])[row.target.pk]
    return row.target.purpose == Bin.Purpose.STORE and suits_as_well(shelf, goods, row.layer.item.zone, best)
