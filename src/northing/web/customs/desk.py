"""The subject of a customs page: a company's goods that are to be declared, or the entry that is to be corrected."""

import re
from collections.abc import Iterable
from dataclasses import dataclass, replace

from django.db.models import Count, F, Q, QuerySet
from django.urls import reverse

from northing.actions.customs.covers import Covers
from northing.customs.models import CustomsEntry
from northing.customs.queries import is_declared, undeclared_from_abroad
from northing.masterdata.models import Company
from northing.receiving.models import Receipt
from northing.shipping.models import Shipment, ShipmentLine

# Beside what the page is about, so many other shipments and receipts are offered.
MOST = 40
TOKEN = re.compile(r"([scr])(\d{1,18})")


@dataclass(frozen=True)
class Desk:
    """Goods of a company: `covers` is what would be declared, `corrects` the entry whose place that takes.

    With neither nothing is asked: several entries stand, and one of them is to be chosen.
    """

    company: Company
    entered: list[CustomsEntry]
    covers: Covers | None = None
    corrects: CustomsEntry | None = None
    shipments: tuple[Shipment, ...] = ()
    receipt: Receipt | None = None

    @property
    def shipment(self) -> Shipment | None:
        """The shipment that all of it is of, if there is one."""
        return self.shipments[0] if len(self.shipments) == 1 else None

    @property
    def standing(self) -> list[CustomsEntry]:
        """The entries that stand."""
        return [one for one in self.entered if not one.reversed_by_id]

    @property
    def name(self) -> str:
        """The subject in words."""
        names = [shipment.reference for shipment in self.shipments]
        return ", ".join([*names, *([f"receipt {self.receipt}"] if self.receipt else [])])

    @property
    def back(self) -> str:
        """Where the goods are shown."""
        if self.shipments:
            return reverse("shipment", args=[self.shipments[0].pk])
        return reverse("receipt", args=[self.receipt.pk]) if self.receipt else reverse("costs")


def of_shipment(shipment: Shipment, company: Company, asked: Iterable[str]) -> Desk:
    """The undeclared goods of a shipment; else the only entry that stands, to be corrected."""
    own = Q(shipments=shipment, company=company)
    desk = Desk(company, _entries(own), Covers(shipments=(shipment.pk,)), None, (shipment,))
    return _picked(desk, asked) or _whole(desk, Q(container__shipment=shipment))


def of_receipt(receipt: Receipt, asked: Iterable[str]) -> Desk:
    """The same of what came unpacked."""
    goods = Q(container=None, quantity__gt=0, receipt_lines__receipt=receipt)
    own = Q(lines__shipment_line__in=ShipmentLine.objects.filter(goods))
    desk = Desk(receipt.company, _entries(own), Covers(receipts=(receipt.pk,)), None, (), receipt)
    return _picked(desk, asked) or _whole(desk, goods)


def of_entry(entry: CustomsEntry) -> Desk:
    """An entry alone; to be corrected, if it stands."""
    corrects = None if entry.reversed_by_id else entry
    shipments = tuple(entry.shipments.order_by("pk"))
    came = Receipt.objects.filter(lines__shipment_line__customs_lines__entry=entry, container=None).first()
    covers = Covers() if corrects else None
    return Desk(entry.company, _entries(Q(pk=entry.pk)), covers, corrects, shipments, came)


def _picked(desk: Desk, asked: Iterable[str]) -> Desk | None:
    """The desk over the goods that are ticked, if any are."""
    covers = picked_of(asked)
    return replace(desk, covers=covers) if covers else None


def _whole(desk: Desk, goods: Q) -> Desk:
    """The desk itself as long as some of the goods are not declared, or none are there."""
    own = ShipmentLine.objects.filter(goods, instalment__line__order__company=desk.company)
    if not desk.standing or own.filter(~is_declared()).exists():
        return desk
    only = desk.standing[0] if len(desk.standing) == 1 else None
    return replace(desk, covers=Covers() if only else None, corrects=only)


def _entries(which: Q) -> list[CustomsEntry]:
    return list(CustomsEntry.objects.filter(which).select_related("office").distinct().order_by("-pk"))


def picked_of(asked: Iterable[str]) -> Covers | None:
    """The ticked goods: s, c or r with the id of a shipment, container or receipt; None where nothing is ticked."""
    found: dict[str, list[int]] = {"s": [], "c": [], "r": []}
    for one in asked:
        if match := TOKEN.fullmatch(one):
            found[match[1]].append(int(match[2]))
    if not any(found.values()):
        return None
    return Covers(tuple(found["s"]), tuple(found["c"]), tuple(found["r"]))


@dataclass(frozen=True)
class Choice:
    """Goods that may be declared with others."""

    token: str
    words: str
    lines: int
    picked: bool


def choices_of(desk: Desk) -> list[Choice]:
    """All goods that could be declared: the containers of this shipment first, then other shipments and receipts."""
    if desk.corrects or desk.covers is None:
        return []
    covers, here = desk.covers, desk.shipment.pk if desk.shipment else 0
    own = ShipmentLine.objects.filter(container__shipment=here, instalment__line__order__company=desk.company)
    own = own.filter(~is_declared())
    open_parts = undeclared_from_abroad().filter(instalment__line__order__company=desk.company)
    rows = _counted(own, "container", "container__number", MOST * 10)
    whole = here in covers.shipments
    found = [Choice(f"c{key}", str(name), lines, whole or key in covers.containers) for key, name, lines in rows]
    others = open_parts.filter(container__shipment__departed_on__isnull=False).exclude(container__shipment=here)
    rows = _counted(others, "container__shipment", "container__shipment__reference", MOST)
    found += [Choice(f"s{key}", f"shipment {name}", lines, key in covers.shipments) for key, name, lines in rows]
    unpacked = open_parts.filter(container=None, receipt_lines__receipt__reversed_by=None)
    rows = _counted(unpacked, "receipt_lines__receipt", "receipt_lines__receipt__delivery_note", MOST)
    found += [Choice(f"r{key}", f"unpacked, note {name}", lines, key in covers.receipts) for key, name, lines in rows]
    return found


def _counted(parts: QuerySet[ShipmentLine], key: str, name: str, most: int) -> list[tuple[int, str, int]]:
    """The key and name of what the goods are in, with how many lines that has; the newest first."""
    rows = parts.order_by().values_list(F(key), F(name)).annotate(lines=Count("pk", distinct=True)).order_by(f"-{key}")
    return list(rows[:most])
