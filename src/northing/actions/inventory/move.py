"""Goods lie in other bins of their company: moved, put away, or arrived. Nothing is posted: a move changes no value."""

from collections import defaultdict
from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass
from decimal import Decimal

from northing.access.acts import Act
from northing.actions.inventory.shelves import refusals
from northing.activity.operations import Link, add_history, once
from northing.core.inventory.bins import Goods
from northing.core.money.exact import plain
from northing.core.problems import Problem, Refused, refuse_if
from northing.inventory import operations
from northing.inventory.models import BinMove, OnHand, Status
from northing.inventory.operations import Place, StockMove
from northing.ledger import operations as ledger
from northing.ledger.models import CostLayer
from northing.masterdata.models import Bin

ZERO = Decimal(0)
# How the story calls an act by which goods lie in other bins.
ACTIONS = {BinMove.What.MOVED: ("move_goods", "Moved"), BinMove.What.PUT_AWAY: ("put_away", "Put away")}


@dataclass(frozen=True)
class MoveRequest:
    """Units of a layer that lie in one bin and state, and the bin (ids) they go to; why, where that was asked.

    Among several rows, the names of its fields end with `end`.
    """

    layer: int
    source: int
    status: str
    quantity: Decimal
    target: int
    serials: tuple[str, ...] = ()
    reason: str = ""
    end: str = ""

    def field(self, name: str) -> str:
        """How a field of this row is called."""
        return f"{name}-{self.end}" if self.end else name


@dataclass(frozen=True)
class MovesRequest:
    """Moves that are made together, or not at all."""

    rows: tuple[MoveRequest, ...]


@dataclass(frozen=True)
class Row:
    """A move with the records it names."""

    asked: MoveRequest
    layer: CostLayer
    source: Bin
    target: Bin

    @property
    def units(self) -> str:
        """The units, and the bin that they leave."""
        item = self.layer.item
        return f"{plain(self.asked.quantity)} {item.unit} of {item.code} from {self.source}"

    @property
    def words(self) -> str:
        """The units, the bins that they leave and reach, and why."""
        there = (
            str(self.target) if self.target.site_id == self.source.site_id else f"{self.target} at {self.target.site}"
        )
        why = f" ({self.asked.reason.strip()})" if self.asked.reason.strip() else ""
        return f"{self.units} to {there}{why}"


@once
def move_goods(act: Act, request: MoveRequest) -> int:
    """Units lie in another bin; their layer stays itself, and is of the site where all of it lies. Returns its id."""
    relocate(act, [request], BinMove.What.MOVED)
    return request.layer


@once
def move_together(act: Act, request: MovesRequest) -> int:
    """Several moves in one act. Returns its id."""
    return relocate(act, request.rows, BinMove.What.MOVED).pk


def relocate(
    act: Act,
    asked: Sequence[MoveRequest],
    what: BinMove.What,
    *,
    check: Callable[[Sequence[Row]], list[Problem]] = lambda _: [],
) -> BinMove:
    """Check and make moves within one company, as one act of the story. `check` may find more that is wrong."""
    rows = locked_rows(asked)
    for site in sorted({bin.site_id for row in rows for bin in (row.source, row.target)}):
        act.require_at("issue_stock", rows[0].layer.company_id, site)
    refuse_if([*row_problems(rows), *check(rows), *refusals(coming(rows))])
    action, did = ACTIONS[what]
    history = add_history(act, action, f"{did} {words_of([row.words for row in rows])}", links_of(rows))
    operations.move_stock(
        history,
        [
            StockMove(
                row.layer.pk,
                row.asked.quantity,
                Place(row.source.pk, row.asked.status),
                Place(row.target.pk, row.asked.status),
                row.asked.serials,
            )
            for row in rows
        ],
    )
    follow_site(row.layer for row in rows)
    return operations.write_bin_move(act, what, rows[0].target.site, history)


def locked_rows(asked: Sequence[MoveRequest]) -> list[Row]:
    """The moves with their records; layers are locked in key order. Raises Refused for what is not of one company."""
    if not asked:
        raise Refused(Problem("Nothing is to be moved.", "quantity", "Enter a quantity."))
    locked = CostLayer.objects.select_for_update(of=("self",)).filter(pk__in={one.layer for one in asked})
    layers = {one.pk: one for one in locked.select_related("item", "company", "site").order_by("pk")}
    keys = {key for one in asked for key in (one.source, one.target)}
    bins = Bin.objects.select_related("site").in_bulk(keys)
    company = next(iter(layers.values())).company_id if layers else None
    rows, problems = [], []
    for one in asked:
        layer, source, target = layers.get(one.layer), bins.get(one.source), bins.get(one.target)
        if layer is None or source is None or not layer.company_id == company == source.site.company_id:
            problems.append(Problem("These goods are not there.", one.field("quantity"), "Reload the page."))
        elif target is None or target.site.company_id != layer.company_id:
            what = "This bin is not of the company."
            problems.append(Problem(what, one.field("target"), "Choose one of the list."))
        else:
            rows.append(Row(one, layer, source, target))
    if problems:
        raise Refused(problems)
    return rows


def row_problems(rows: Sequence[Row]) -> list[Problem]:
    """What is wrong with each move: its quantity, its bins, the state of its goods."""
    found, taken = [], defaultdict(Decimal)
    places = OnHand.objects.filter(layer__in={row.layer.pk for row in rows}).order_by()
    lies = {tuple(key): units for *key, units in places.values_list("layer", "bin", "status", "quantity")}
    for row in rows:
        place = (row.layer.pk, row.source.pk, row.asked.status)
        found += _one_problems(row, lies.get(place, ZERO) - taken[place])
        taken[place] += max(row.asked.quantity, ZERO)
    return found


def _one_problems(row: Row, there: Decimal) -> list[Problem]:
    asked, item, where = row.asked, row.layer.item, row.asked.field("quantity")
    if row.source.pk == row.target.pk:
        return [Problem("They lie in this bin already.", asked.field("target"), "Choose another bin.")]
    if asked.quantity <= 0:
        return [Problem("The quantity must be above 0.", where)]
    if round(asked.quantity, item.decimals) != asked.quantity:
        return [Problem(f"{item.code} is counted in whole {item.unit}.", where, "Enter whole units.")]
    if asked.status == Status.ON_WAY:
        return [Problem("These goods are on their way from another site.", where, "Let them arrive first.")]
    if asked.quantity > there:
        return [Problem(f"Only {plain(there)} {item.unit} lie in {row.source}.", where, "Move at most that.")]
    if asked.status != Status.IN_STORE and row.target.purpose == Bin.Purpose.STORE:
        what = f"Goods that are {asked.status} do not go into the store."
        return [Problem(what, asked.field("target"), "Choose a dock or quarantine bin.")]
    return []


def coming(rows: Iterable[Row]) -> list[tuple[Bin, Goods, str]]:
    """The goods that come into each bin, as its rules ask for them."""
    return [
        (
            row.target,
            Goods(row.layer.item.code, row.asked.quantity, row.layer.lot),
            row.asked.field("target"),
        )
        for row in rows
    ]


def words_of(goods: Sequence[str]) -> str:
    """Goods in words; the first three of many."""
    said = ", ".join(goods[:3])
    return said if len(goods) <= 3 else f"{said} and {len(goods) - 3} more"


def links_of(rows: Iterable[Row]) -> list[Link]:
    """The records whose story tells of it."""
    found: list[Link] = []
    for row in rows:
        company = row.layer.company_id
        found += [("item", row.layer.item_id, company), ("layer", row.layer.pk, company)]
    return found


def follow_site(layers: Iterable[CostLayer]) -> None:
    """A layer is of the site where all of it lies."""
    known = {layer.pk: layer for layer in layers}
    sites: dict[int, set[int]] = defaultdict(set)
    lies = OnHand.objects.filter(layer__in=known, quantity__gt=0).order_by()
    for layer, bin in lies.values_list("layer", "bin"):
        sites[layer].add(bin)
    bins = Bin.objects.select_related("site").in_bulk({bin for those in sites.values() for bin in those})
    for key, those in sites.items():
        there = {bins[bin].site_id: bins[bin].site for bin in those}
        if len(there) == 1 and known[key].site_id not in there:
            ledger.bring_to(known[key], next(iter(there.values())))
