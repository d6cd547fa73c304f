"""The rules of a bin, and the bins in which goods are best put; quantities in the items' base units. Ours."""

from collections.abc import Iterable, Sequence
from dataclasses import dataclass, field
from decimal import Decimal

from northing.core.money.exact import plain
from northing.core.problems import Problem

ZERO = Decimal(0)


@dataclass(frozen=True)
class Goods:
    """Units of an item (by its code) in one lot; of an item that keeps none the lot is empty."""

    item: str
    units: Decimal
    lot: str = ""


@dataclass
class Shelf:
    """A bin, what it may hold, and what lies in it. `blocked` says why nothing is put there; empty where it is open.

    `most` is in units, whatever they are of.
    """

    code: str
    key: int = 0
    zone: str = ""
    blocked: str = ""
    one_item: bool = False
    one_lot: bool = False
    most: Decimal | None = None
    # The code of the item that has its place here; others are proposed elsewhere.
    home_of: str = ""
    lies: list[Goods] = field(default_factory=list)

    @property
    def units(self) -> Decimal:
        """How many units lie in it."""
        return sum((one.units for one in self.lies), ZERO)

    def units_of(self, item: str) -> Decimal:
        """How many units of an item (by its code) lie in it."""
        return sum((one.units for one in self.lies if one.item == item), ZERO)

    def room(self) -> Decimal | None:
        """How many units more may be put there; None where nothing is said."""
        return None if self.most is None else max(self.most - self.units, ZERO)

    def refuses(self, goods: Goods) -> tuple[str, str]:
        """Why these goods may not be put there, and how to mend it; nothing where they may.

        >>> Shelf("S-01", one_lot=True, lies=[Goods("TEA", Decimal(4), "L1")]).refuses(Goods("TEA", Decimal(1), "L2"))
        ('S-01 holds one lot only, and L1 lies there.', 'Choose another bin.')
        """
        another = "Choose another bin."
        if self.blocked:
            return f"{self.code} is blocked: {self.blocked}.", another
        other = next((one for one in self.lies if one.units > 0 and one.item != goods.item), None)
        if self.one_item and other:
            return f"{self.code} holds one item only, and {other.item} lies there.", another
        lot = next((one for one in self.lies if one.units > 0 and (one.item, one.lot) != (goods.item, goods.lot)), None)
        if self.one_lot and lot:
            return f"{self.code} holds one lot only, and {lot.lot or lot.item} lies there.", another
        room = self.room()
        if room is not None and goods.units > room:
            mend = f"Put {plain(room)} there and the rest into another bin." if room else another
            return f"{self.code} holds {plain(self.most or ZERO)} units; {plain(self.units)} lie there.", mend
        return "", ""

    def put(self, goods: Goods) -> None:
        """These goods lie there from now on."""
        self.lies.append(goods)


def shelf_problems(shelf: Shelf, coming: Iterable[tuple[Goods, str]]) -> list[Problem]:
    """What is wrong with putting goods into a bin, one after the other; each with the name of its field."""
    problems = []
    for goods, where in coming:
        what, mend = shelf.refuses(goods)
        if what:
            problems.append(Problem(what, where, mend))
        else:
            shelf.put(goods)
    return problems


@dataclass(frozen=True)
class Proposal:
    """Units that are best put into a bin (its key), why, and how well it suits: 0 best. `before` lie there already."""

    bin: int
    code: str
    units: Decimal
    why: str
    rank: int = 0
    zone: str = ""
    before: Decimal = ZERO

    @property
    def after(self) -> Decimal:
        """How many units of the item lie there once these do."""
        return self.before + self.units


def propose(goods: Goods, zone: str, shelves: Sequence[Shelf]) -> list[Proposal]:
    """Where goods are best put: beside the same lot, in the item's own bin, beside the item, in an empty bin, in any.

    Of bins that suit as well, one that holds the whole comes first; what fits nowhere is left out. Empty bins, and
    those in which only other goods lie, are of the item's zone. The goods lie there from now on: the next ones find
    the rest.

    >>> shelves = [Shelf("S-01", 1, most=Decimal(10)), Shelf("S-02", 2)]
    >>> [(one.code, int(one.units), one.why) for one in propose(Goods("TEA", Decimal(14)), "", shelves)]
    [('S-02', 14, 'it is empty')]
    """
    found, left = [], goods.units
    while left > 0:
        best = _best(Goods(goods.item, left, goods.lot), zone, shelves)
        if best is None:
            break
        shelf, units, (rank, why) = best
        before = shelf.units_of(goods.item)
        shelf.put(Goods(goods.item, units, goods.lot))
        found.append(Proposal(shelf.key, shelf.code, units, why, rank, shelf.zone, before))
        left -= units
    return found


def suits_as_well(shelf: Shelf, goods: Goods, zone: str, proposals: Sequence[Proposal]) -> bool:
    """Whether a bin is one of those proposed for the goods, or suits them as well; where none is proposed, any does.

    >>> proposed = propose(Goods("TEA", Decimal(4)), "", [Shelf("S-01", 1)])
    >>> suits_as_well(Shelf("S-02", 2), Goods("TEA", Decimal(4)), "", proposed)
    True
    """
    if not proposals or shelf.key in {one.bin for one in proposals}:
        return True
    suits = _suits(shelf, goods, zone)
    return suits is not None and suits[0] <= max(one.rank for one in proposals)


def _best(goods: Goods, zone: str, shelves: Sequence[Shelf]) -> tuple[Shelf, Decimal, tuple[int, str]] | None:
    """The bin that suits best, how many units it takes, and why: by how well it suits, whole before part."""
    found = []
    for shelf in shelves:
        room = shelf.room()
        units = goods.units if room is None else min(goods.units, room)
        suits = _suits(shelf, goods, zone)
        if suits and units > 0 and not shelf.refuses(Goods(goods.item, units, goods.lot))[0]:
            found.append((suits[0], units < goods.units, -units, -shelf.units_of(goods.item), shelf.code, shelf, suits))
    if not found:
        return None
    *_, shelf, suits = best = min(found, key=lambda one: one[:5])
    return shelf, -best[2], suits


def _suits(shelf: Shelf, goods: Goods, zone: str) -> tuple[int, str] | None:
    """How well a bin suits, 0 best, and the reason in words; None where it does not."""
    lots = {one.lot for one in shelf.lies if one.units > 0 and one.item == goods.item}
    if goods.lot in lots:
        return 0, f"lot {goods.lot} lies there" if goods.lot else "the same lies there"
    if shelf.home_of == goods.item:
        return 1, f"it is the place of {goods.item}"
    if lots:
        return 2, "other lots of it lie there"
    if shelf.home_of or shelf.zone != zone:
        return None
    of_zone = f", in zone {zone}" if zone else ""
    return (4, f"it has room{of_zone}") if shelf.units else (3, f"it is empty{of_zone}")
