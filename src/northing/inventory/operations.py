"""Writes of what lies where: stock movements, and what they add up to; stock issues."""

from collections import defaultdict
from collections.abc import Iterable, Sequence
from decimal import Decimal

from django.db import connection
from django.db.models import Sum

from northing.access.acts import Act
from northing.activity.models import HistoryEntry
from northing.core.problems import Problem, Refused
from northing.database.columns import insert_columns
from northing.inventory.models import (
    BinMove,
    OnHand,
    Opening,
    StockCount,
    StockCountLine,
    StockIssue,
    StockIssueLine,
    StockMovement,
    Transfer,
    TransferLine,
)
from northing.inventory.serials import ZERO, Place, StockMove, forget_serials, place_serials, serials_in, with_serials
from northing.ledger.models import CostLayer, Entry
from northing.masterdata.models import Site

MOVEMENT = {
    "layer_id": "bigint",
    "quantity": "numeric",
    "source_id": "bigint",
    "source_status": "text",
    "target_id": "bigint",
    "target_status": "text",
    "serials": "text",
    "history_id": "bigint",
}
ADD = """
insert into inventory_onhand as h (layer_id, bin_id, status, quantity)
select * from unnest(%s::bigint[], %s::bigint[], %s::text[], %s::numeric[])
on conflict (layer_id, bin_id, status) do update set quantity = h.quantity + excluded.quantity
"""
TAKE = """
update inventory_onhand h set quantity = h.quantity - d.quantity
  from unnest(%s::bigint[], %s::bigint[], %s::text[], %s::numeric[]) as d(layer_id, bin_id, status, quantity)
 where h.layer_id = d.layer_id and h.bin_id = d.bin_id and h.status = d.status
"""


def move_stock(history: HistoryEntry, moves: Sequence[StockMove]) -> None:
    """Write movements and bring along what lies where. The table refuses to go below zero."""
    move_stock_rows([(history, move) for move in moves])


def move_stock_rows(told: Sequence[tuple[HistoryEntry, StockMove]]) -> None:
    """`move_stock` for many stories at once."""
    told = [(history, move) for history, move in told if move.quantity]
    if not told:
        return
    moves = with_serials([move for _, move in told])
    rows = [
        (
            move.layer,
            move.quantity,
            *_named(move.source),
            *_named(move.target),
            "\n".join(move.serials),
            history.pk,
        )
        for (history, _), move in zip(told, moves, strict=True)
    ]
    insert_columns(StockMovement._meta.db_table, MOVEMENT, rows)
    changes: dict[tuple[int, int, str], Decimal] = defaultdict(Decimal)
    for move in moves:
        for place, sign in ((move.source, -1), (move.target, 1)):
            if place is not None:
                changes[move.layer, place.bin, place.status] += sign * move.quantity
    with connection.cursor() as cursor:
        for statement, sign in ((TAKE, -1), (ADD, 1)):
            rows = [(*key, sign * amount) for key, amount in sorted(changes.items()) if sign * amount > 0]
            if rows:
                cursor.execute(statement, [list(column) for column in zip(*rows, strict=True)])
    place_serials(moves)


def _named(place: Place | None) -> tuple[int | None, str]:
    return (place.bin, place.status) if place else (None, "")


def taken_from(
    layer: CostLayer, status: str, quantity: Decimal, site: int | None = None
) -> list[tuple[Place, Decimal]]:
    """The places (of a site, by id) from which units of a state are taken, first come first; their rows are locked."""
    return lying_in([layer.pk], [status], site).take(layer.pk, status, quantity)


class Lying:
    """What lies where of some layers while units of them are taken, first come first."""

    def __init__(self, rows: Iterable[OnHand]):
        self._left: dict[tuple[int, str], dict[Place, Decimal]] = defaultdict(dict)
        for row in rows:
            self._left[row.layer_id, row.status][Place(row.bin_id, row.status)] = row.quantity

    def take(self, layer: int, status: str, quantity: Decimal) -> list[tuple[Place, Decimal]]:
        """The places from which units of a layer (id) and a state are taken. Raises Refused for more than lie there."""
        left, found, there = quantity, [], self._left[layer, status]
        for place, units in list(there.items()):
            if part := min(left, units):
                found.append((place, part))
                there[place] -= part
                left -= part
        if left:
            few, words = f"{(quantity - left).normalize():f}", status.replace("_", " ")
            raise Refused(Problem(f"Only {few} units of this layer are {words}.", "quantity"))
        return found

    def moves(
        self, layer: CostLayer, status: str, quantity: Decimal, target: Place | None, serials: Sequence[str] = ()
    ) -> list[StockMove]:
        """The moves of units to one place, or for good; where serial numbers are said, of those."""
        if serials:
            return by_number(layer, status, serials, target)
        return [StockMove(layer.pk, units, place, target) for place, units in self.take(layer.pk, status, quantity)]


def lying_in(layers: Iterable[int], statuses: Iterable[str], site: int | None = None) -> Lying:
    """What lies where of layers (ids) in some states (at a site, by id); the rows are locked."""
    rows = OnHand.objects.select_for_update().filter(layer__in=list(layers), status__in=list(statuses), quantity__gt=0)
    if site is not None:
        rows = rows.filter(bin__site=site)
    return Lying(rows.order_by("id"))


def in_state(layer: CostLayer, status: str) -> Decimal:
    """How many units of a layer lie in a state."""
    rows = OnHand.objects.filter(layer=layer, status=status)
    return rows.aggregate(total=Sum("quantity"))["total"] or ZERO


def in_states(layers: Iterable[int], statuses: Iterable[str]) -> dict[int, dict[str, Decimal]]:
    """By layer (id) how many of its units lie in each of some states; states without any are left out."""
    keys = list(layers)
    rows = OnHand.objects.filter(layer__in=keys, status__in=list(statuses), quantity__gt=0).order_by()
    found: dict[int, dict[str, Decimal]] = {key: {} for key in keys}
    for key, status, units in rows.values_list("layer", "status").annotate(units=Sum("quantity")):
        found[key][status] = units
    return found


def move_out(
    history: HistoryEntry,
    layer: CostLayer,
    status: str,
    quantity: Decimal,
    site: int | None = None,
    serials: Sequence[str] = (),
) -> None:
    """Units of a state leave their bins (of a site, by id) for good; where serial numbers are said, those."""
    move_stock(history, lying_in([layer.pk], [status], site).moves(layer, status, quantity, None, serials))


def moves_to(
    layer: CostLayer, status: str, quantity: Decimal, target: Place, serials: Sequence[str] = ()
) -> list[StockMove]:
    """The moves of units of a state to one place, first come first; where serial numbers are said, of those."""
    return lying_in([layer.pk], [status]).moves(layer, status, quantity, target, serials)


def by_number(layer: CostLayer, status: str, serials: Sequence[str], target: Place | None = None) -> list[StockMove]:
    """The moves of numbered units out of their places, to another one or for good."""
    return [
        StockMove(layer.pk, units, place, target, numbers)
        for place, units, numbers in numbered_places(layer, status, serials)
        if place != target
    ]


def numbered_places(
    layer: CostLayer, status: str, serials: Sequence[str]
) -> list[tuple[Place, Decimal, tuple[str, ...]]]:
    """Where the units of these numbers lie, how many in each place, and which. Raises Refused for a strange number."""
    lying, of_place = serials_in(layer, status), defaultdict(list)
    for number in serials:
        if number not in lying:
            raise Refused(Problem(f"Serial number {number} does not lie there.", "serials", "Look where it is."))
        of_place[lying[number]].append(number)
    return [(place, Decimal(len(numbers)), tuple(numbers)) for place, numbers in of_place.items()]


def clear_layers(history: HistoryEntry, layers: Sequence[CostLayer]) -> None:
    """Take all that lies of layers out of their bins: their receipt is reversed."""
    rows = OnHand.objects.select_for_update().filter(layer__in=list(layers), quantity__gt=0).order_by("id")
    move_stock(history, [StockMove(row.layer_id, row.quantity, Place(row.bin_id, row.status)) for row in rows])
    forget_serials(layer.pk for layer in layers)


def move_back(history: HistoryEntry, of: HistoryEntry) -> None:
    """Put back into their bins the goods that an action moved out."""
    went = StockMovement.objects.filter(history=of, target=None).order_by("pk")
    move_stock(
        history,
        [
            StockMove(
                one.layer_id,
                one.quantity,
                None,
                Place(one.source_id, one.source_status),
                tuple(one.serials.splitlines()),
            )
            for one in went
        ],
    )


def turn_back(history: HistoryEntry, of: HistoryEntry) -> None:
    """Goods that an action put into other bins lie where they lay. Raises Refused where they are not there any more."""
    went = StockMovement.objects.filter(history=of).select_related("layer__item", "target").order_by("pk")
    for one in went:
        there = OnHand.objects.select_for_update().filter(
            layer=one.layer, bin=one.target, status=one.target_status, quantity__gte=one.quantity
        )
        if not there.exists():
            what = f"Not all of it lies in {one.target} any more: {one.layer.item.code}."
            raise Refused(Problem(what, mend="Move what is there.", record=("layer", one.layer_id)))
    move_stock(
        history,
        [
            StockMove(
                one.layer_id,
                one.quantity,
                Place(one.target_id, one.target_status),
                Place(one.source_id, one.source_status),
                tuple(one.serials.splitlines()),
            )
            for one in went
        ],
    )


def write_bin_move(
    act: Act, what: BinMove.What, site: Site, history: HistoryEntry, transfer: Transfer | None = None
) -> BinMove:
    """An act by which goods lie in other bins of a site."""
    common = {"company_id": site.company_id, "site": site, "transfer": transfer}
    return BinMove.objects.create(what=what, history=history, moved_by=act.person, at=act.at, **common)


def mark_undone(move: BinMove, history: HistoryEntry) -> None:
    """A move was undone; it stays a fact."""
    move.undone_by = history
    move.save(update_fields=["undone_by"])


def write_transfer(transfer: Transfer, lines: Sequence[TransferLine]) -> Transfer:
    """Goods that are on their way to another site."""
    transfer.save(force_insert=True)
    for line in lines:
        line.transfer = transfer
    TransferLine.objects.bulk_create(lines)
    return transfer


def end_lines(ended: Sequence[tuple[TransferLine, Decimal]]) -> None:
    """So many more units of each line are not on their way any more; below 0, they are again."""
    for line, units in ended:
        line.ended += units
    TransferLine.objects.bulk_update([line for line, _ in ended], ["ended"])


def write_opening(opening: Opening) -> Opening:
    """Goods that a company began with."""
    opening.save(force_insert=True)
    return opening


def mark_opening_reversed(opening: Opening, entry: Entry) -> None:
    """An opening was undone; it stays a fact."""
    opening.reversed_by = entry
    opening.save(update_fields=["reversed_by"])


def write_count(count: StockCount, lines: Sequence[StockCountLine]) -> StockCount:
    """An adjustment with its lines."""
    count.save()
    for line in lines:
        line.count = count
    StockCountLine.objects.bulk_create(lines)
    return count


def mark_count_reversed(count: StockCount, entry: Entry) -> None:
    """An adjustment was undone; it stays a fact."""
    count.reversed_by = entry
    count.save(update_fields=["reversed_by"])


def write_issue(issue: StockIssue, lines: Sequence[StockIssueLine]) -> StockIssue:
    """A stock issue with its lines."""
    issue.save()
    for line in lines:
        line.issue = issue
    StockIssueLine.objects.bulk_create(lines)
    return issue


def mark_taken_back(issue: StockIssue, entry: Entry) -> None:
    """An issue was taken back; it stays a fact."""
    issue.reversed_by = entry
    issue.save(update_fields=["reversed_by"])
