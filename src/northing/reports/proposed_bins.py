"""Where goods that come are best put."""

from collections.abc import Collection, Hashable, Iterable
from dataclasses import dataclass
from decimal import Decimal

from django.db.models import Exists, OuterRef, Q

from northing.core.inventory.bins import Goods, Proposal, Shelf, propose
from northing.inventory.models import OnHand
from northing.inventory.queries import shelves_of
from northing.masterdata.models import Bin, Item, Site

# Bins of a zone in which other goods lie: how many of them are looked at.
OTHERS = 5
# Empty bins beyond one for each of the goods: some need more than one.
MORE = 20


@dataclass(frozen=True)
class Wanted:
    """Units of an item in one lot that need a place; held goods go to quarantine."""

    key: Hashable
    item: Item
    lot: str
    units: Decimal
    held: bool = False


def proposed_bins(site: Site, wanted: Collection[Wanted]) -> dict[Hashable, list[Proposal]]:
    """By key: the bins of the site in which the goods are best put, and how many of them; nothing fits some.

    Of what is proposed for the first goods, the next ones find the rest.
    """
    store = list(shelves_of(_near(site, [one for one in wanted if not one.held])).values())
    held = any(one.held for one in wanted)
    apart = list(shelves_of(_open(site, Bin.Purpose.QUARANTINE)).values()) if held else []
    return {
        one.key: _apart(one, apart) if one.held else propose(_goods(one), one.item.zone, store)
        for one in wanted
        if one.units > 0
    }


def _goods(one: Wanted) -> Goods:
    return Goods(one.item.code, one.units, one.lot)


def _apart(one: Wanted, shelves: Iterable[Shelf]) -> list[Proposal]:
    """The first quarantine bin that takes all of it."""
    for shelf in shelves:
        if not shelf.refuses(_goods(one))[0]:
            before = shelf.units_of(one.item.code)
            shelf.put(_goods(one))
            return [Proposal(shelf.key, shelf.code, one.units, "they are held", 0, shelf.zone, before)]
    return []


def _open(site: Site, purpose: str):
    return Bin.objects.filter(site=site, purpose=purpose, blocked="").order_by("code")


def _near(site: Site, wanted: Collection[Wanted]) -> list[Bin]:
    """The store bins that may suit: where the items lie, their own ones, and of their zones some that are empty."""
    if not wanted:
        return []
    items = {one.item.pk for one in wanted}
    there = OnHand.objects.filter(bin__site=site, quantity__gt=0, layer__item__in=items).values("bin")
    store = _open(site, Bin.Purpose.STORE)
    found = {bin.pk: bin for bin in store.filter(Q(pk__in=there) | Q(home_of__in=items))}
    full = Exists(OnHand.objects.filter(bin=OuterRef("pk"), quantity__gt=0))
    for zone in {one.item.zone for one in wanted}:
        of_zone = store.filter(zone=zone, home_of=None)
        empty = of_zone.filter(~full)[: len(wanted) + MORE]
        found |= {bin.pk: bin for bin in (*empty, *of_zone.filter(full)[:OTHERS])}
    return list(found.values())
