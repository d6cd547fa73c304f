"""The serial numbers of units as they move: named, or all that lie in a place."""

from collections import defaultdict
from collections.abc import Iterable, Sequence
from dataclasses import dataclass, replace
from decimal import Decimal

from django.db import connection

from northing.core.problems import Problem, Refused
from northing.inventory.models import SerialNumber
from northing.ledger.models import CostLayer

ZERO = Decimal(0)


@dataclass(frozen=True, slots=True)
class Place:
    """A bin (id), and the state in which goods lie there."""

    bin: int
    status: str


@dataclass(frozen=True, slots=True)
class StockMove:
    """Units of a layer (id) going from a place to another; without one they come in, or go out."""

    layer: int
    quantity: Decimal
    source: Place | None = None
    target: Place | None = None
    # Of units that keep serial numbers: which; may be left out where all that lie there go.
    serials: tuple[str, ...] = ()


def with_serials(moves: Sequence[StockMove]) -> list[StockMove]:
    """The moves with the serial numbers of their units. Raises Refused where it is not said which ones go.

    A layer whose units have no numbers needs none; units that come in bring theirs.
    """
    lying = _lying(move.layer for move in moves if move.source)
    if not lying:
        return list(moves)
    found = []
    for move in moves:
        there = lying.get(move.layer)
        if there is None or move.source is None:
            found.append(move)
            continue
        place = there[move.source]
        serials = move.serials or (tuple(sorted(place)) if len(place) == move.quantity else ())
        _refuse_strange(move, place, serials)
        place.difference_update(serials)
        found.append(replace(move, serials=serials))
    return found


def _lying(layers: Iterable[int]) -> dict[int, dict[Place, set[str]]]:
    """Where the numbered units of layers (ids) lie; the rows are locked."""
    found: dict[int, dict[Place, set[str]]] = {}
    rows = SerialNumber.objects.select_for_update().filter(layer__in=set(layers)).order_by("pk")
    for layer, bin, status, number in rows.values_list("layer", "bin", "status", "number"):
        of_layer = found.setdefault(layer, defaultdict(set))
        if bin is not None:
            of_layer[Place(bin, status)].add(number)
    return found


def _refuse_strange(move: StockMove, there: set[str], serials: Sequence[str]) -> None:
    count = f"{move.quantity.normalize():f}"
    if not serials:
        some = ", ".join(sorted(there)[:5])
        what = f"These units have serial numbers: say which {count} of the {len(there)} go."
        raise Refused(Problem(what, "serials", f"They are {some}{' and more' if len(there) > len(some) else ''}."))
    if len(serials) != move.quantity:
        what = f"{count} units have {count} serial numbers; {len(serials)} are said."
        raise Refused(Problem(what, "serials", "Say as many as there are units."))
    strange = sorted(set(serials) - there)
    if strange:
        raise Refused(Problem(f"Serial number {strange[0]} does not lie there.", "serials", "Look where it is."))


COME = """
insert into inventory_serialnumber as s (item_id, number, layer_id, bin_id, status)
select * from unnest(%s::bigint[], %s::text[], %s::bigint[], %s::bigint[], %s::text[])
on conflict (item_id, number) do update set bin_id = excluded.bin_id, status = excluded.status
 where s.bin_id is null and s.layer_id = excluded.layer_id
"""
GO = """
update inventory_serialnumber s set bin_id = d.bin_id, status = d.status
  from unnest(%s::bigint[], %s::text[], %s::bigint[], %s::text[]) as d(layer_id, number, bin_id, status)
 where s.layer_id = d.layer_id and s.number = d.number
"""


def place_serials(moves: Sequence[StockMove]) -> None:
    """The numbered units lie where the moves brought them. Raises Refused for a number that another unit has."""
    numbered = [move for move in moves if move.serials]
    if not numbered:
        return
    gone = [
        (move.layer, number, move.target.bin if move.target else None, move.target.status if move.target else "")
        for move in numbered
        if move.source
        for number in move.serials
    ]
    come = [move for move in numbered if move.source is None and move.target]
    with connection.cursor() as cursor:
        if gone:
            cursor.execute(GO, [list(column) for column in zip(*gone, strict=True)])
        if come:
            _come_in(cursor, come)


def _come_in(cursor, moves: Sequence[StockMove]) -> None:
    items = dict(CostLayer.objects.filter(pk__in=[move.layer for move in moves]).values_list("pk", "item"))
    rows = [
        (items[move.layer], number, move.layer, move.target.bin, move.target.status)
        for move in moves
        if move.target
        for number in move.serials
    ]
    columns = [list(column) for column in zip(*rows, strict=True)]
    cursor.execute(COME, columns)
    if cursor.rowcount != len(rows):
        known = SerialNumber.objects.filter(item__in=set(items.values()), number__in=columns[1])
        taken = known.exclude(layer__in=items).order_by("number").first()
        what = f"Serial number {taken.number if taken else columns[1][0]} is of another unit of the item."
        raise Refused(Problem(what, "serials", "Compare it with the label; a number is of one unit only."))


def serials_in(layer: CostLayer, status: str) -> dict[str, Place]:
    """Where the numbered units of a layer lie that are in a state."""
    rows = SerialNumber.objects.filter(layer=layer, status=status, bin__isnull=False).order_by("number")
    return {number: Place(bin, status) for number, bin in rows.values_list("number", "bin")}


def forget_gone(layers: Iterable[int]) -> None:
    """Units that left layers (ids) have another one from now on, with their numbers."""
    SerialNumber.objects.filter(layer__in=list(layers), bin=None).delete()


def forget_serials(layers: Iterable[int]) -> None:
    """The receipt of layers (ids) is reversed, or they are of others now: their units' numbers are free."""
    SerialNumber.objects.filter(layer__in=list(layers)).delete()
