"""The meaning of scans at a dock: goods, lots, days and pallets, laid upon the open parts of an order or a container.

Read the same way by the dock's page, the API and a scenario. Nothing is written here.
"""

from collections.abc import Collection, Iterable, Iterator, Sequence
from dataclasses import dataclass, field, replace
from decimal import Decimal

from django.db.models import F, Q, QuerySet
from django.db.models.functions import Upper

from northing.actions.receiving.request import ReceiveRow
from northing.core.money.exact import plain
from northing.core.problems import Problem, Refused
from northing.formats.gs1 import Scan, read_scan
from northing.formats.identifiers import written_gtins
from northing.masterdata.models import Agreement, Bin, Item, Pack, Site
from northing.orders.models import Instalment
from northing.shipping.models import HandlingContent, ShipmentLine

ZERO, ONE = Decimal(0), Decimal(1)
MOST = 999


@dataclass(frozen=True)
class Scanned:
    """A scan as it was made, and how many identical pallets (or pieces) stand there."""

    said: str
    times: int = 1


@dataclass(frozen=True)
class Context:
    """Where goods are scanned: the dock of a site; of a container, of an order, or of a supplier alone (ids)."""

    site: Site
    container: int | None = None
    order: int | None = None
    supplier: int | None = None
    # All orders of the site to the supplier, not packed, the oldest first.
    orders_of: bool = False


@dataclass
class Goods:
    """The goods of one scan: units, lot, day; on a pallet by its SSCC, or on pallets that have none."""

    item: Item
    quantity: Decimal
    scan: Scan = field(default_factory=Scan)
    times: int = 1
    shipment_line: int | None = None

    @property
    def words(self) -> str:
        """The scan in words, for a person."""
        times = f"{self.times} × " if self.times > 1 else ""
        said = [f"{times}{plain(self.quantity)} {self.item.unit} {self.item.description or self.item.code}"]
        said += [f"lot {self.scan.lot}"] if self.scan.lot else []
        said += [f"best before {self.scan.best_before:%-d %b %Y}"] if self.scan.best_before else []
        said += [f"serial {self.scan.serial}"] if self.scan.serial else []
        said += [f"pallet {self.scan.sscc}"] if self.scan.sscc else []
        return ", ".join(said)


def goods_of(scanned: Sequence[Scanned], context: Context) -> tuple[list[Goods], int | None]:
    """The goods that the scans say, in their order; and the bin (id) that was scanned last.

    Raises Refused with all that is wrong with them; `where` of each is `scans-0`, by place.
    """
    scans, problems = _read(scanned)
    known = _Known(context, [scan for _, _, scan in scans])
    found, bin = [], None
    for where, times, scan in scans:
        try:
            if scan.text and scan.text.upper() in known.bins:
                bin = known.bins[scan.text.upper()]
            else:
                found += known.goods(scan, times, where)
        except Refused as refused:
            problems += refused.problems
    if problems:
        raise Refused(sorted(problems, key=lambda problem: int(problem.where.partition("-")[2])))
    return found, bin


def _read(scanned: Sequence[Scanned]) -> tuple[list[tuple[str, int, Scan]], list[Problem]]:
    """Each scan with its place and its times; and the problems of those that cannot be read, or count twice."""
    found, problems, pallets = [], [], set()
    for place, one in enumerate(scanned):
        where = f"scans-{place}"
        try:
            scan = read_scan(one.said, where)
        except Refused as refused:
            problems += refused.problems
            continue
        if not 1 <= one.times <= MOST:
            problems.append(Problem(f"A scan stands for 1 to {MOST} pallets.", where))
        elif scan.sscc and (scan.sscc in pallets or one.times > 1):
            problems.append(Problem(f"Pallet {scan.sscc} was scanned twice.", where, "Each pallet counts once."))
        else:
            found.append((where, one.times, scan))
        pallets.add(scan.sscc)
    return found, problems


class _Known:
    """The bins, packs, items and announced pallets that scans name, each kind read in one statement."""

    def __init__(self, context: Context, scans: Sequence[Scan]):
        texts = {scan.text.upper() for scan in scans if scan.text}
        gtins = {written for scan in scans if scan.gtin for written in written_gtins(scan.gtin)}
        self.bins = by_code(Bin.objects.filter(site=context.site), texts)
        self.packs = (
            {pack.gtin.zfill(14): pack for pack in Pack.objects.select_related("item").filter(gtin__in=gtins)}
            if gtins
            else {}
        )
        self.items = items_of(texts - set(self.bins), context)
        self.pallets = _announced({scan.sscc for scan in scans if scan.sscc and not scan.gtin}, context)

    def goods(self, scan: Scan, times: int, where: str) -> list[Goods]:
        """The goods of one scan. Raises Refused where it names none that are known."""
        if scan.gtin:
            pack = self.packs.get(scan.gtin)
            if pack is None:
                mend = "Enter it with its item, or type the item's code."
                raise Refused(Problem(f"GTIN {scan.gtin} is not known.", where, mend))
            return [Goods(pack.item, _units(scan, pack.item, pack.factor), scan, times)]
        if scan.sscc:
            return self._of_pallet(scan, where)
        if scan.text:
            item = self.items.get(scan.text.upper())
            if item is None:
                what = f"“{scan.text[:40]}” is no item, bin or pallet that is known here."
                raise Refused(Problem(what, where, "Scan the label again, or find the goods by words."))
            return [Goods(item, ONE, scan, times)]
        raise Refused(Problem("This code says no goods.", where, "Scan the label with the GTIN or the SSCC, too."))

    def _of_pallet(self, scan: Scan, where: str) -> list[Goods]:
        """The contents of a pallet that was announced: all of them in one scan."""
        rows = self.pallets.get(scan.sscc)
        if not rows:
            what = f"No despatch notice names pallet {scan.sscc} here."
            raise Refused(Problem(what, where, "Scan the goods on it, too: their GTIN, count and lot."))
        return [
            Goods(
                row.shipment_line.instalment.line.item,
                row.quantity,
                replace(scan, lot=scan.lot or row.lot, best_before=scan.best_before or row.best_before),
                shipment_line=row.shipment_line_id,
            )
            for row in rows
        ]


def by_code(records: QuerySet, texts: Collection[str]) -> dict[str, int]:
    """The ids of records by their code in capitals, whatever its case. Texts are in capitals."""
    if not texts:
        return {}
    found = records.annotate(upper=Upper("code")).filter(upper__in=list(texts))
    return dict(found.values_list("upper", "pk"))


def _units(scan: Scan, item: Item, factor: Decimal) -> Decimal:
    """Units of the item: the net amount where the label says it in the item's unit, else the count of packs."""
    measured = scan.measure(item.unit)
    if measured is not None:
        return measured
    return (scan.count if scan.count is not None else ONE) * factor


def _announced(pallets: Collection[str], context: Context) -> dict[str, list[HandlingContent]]:
    """The contents of pallets as despatch notices say them, of the site's company."""
    if not pallets:
        return {}
    of_company = {"shipment_line__instalment__line__order__company": context.site.company_id}
    rows = HandlingContent.objects.filter(unit__sscc__in=pallets, **of_company).order_by("pk")
    if context.container:
        rows = rows.filter(unit__container=context.container)
    found: dict[str, list[HandlingContent]] = {}
    for row in rows.select_related("unit", "shipment_line__instalment__line__item"):
        found.setdefault(row.unit.sscc, []).append(row)
    return found


def items_of(texts: Collection[str], context: Context) -> dict[str, Item]:
    """Items by their own code, or by that of the supplier whose goods these are; only where that means one item.

    Texts are in capitals, and so are the keys of what is found.
    """
    own = by_code(Item.objects.all(), texts)
    left = set(texts) - set(own)
    theirs = Agreement.objects.annotate(upper=Upper("supplier_code")).filter(upper__in=left) if left else []
    if left and context.supplier:
        theirs = theirs.filter(supplier=context.supplier)
    named: dict[str, set[int]] = {}
    for text, item in theirs.values_list("upper", "item") if left else []:
        named.setdefault(text, set()).add(item)
    keys = own | {text: next(iter(items)) for text, items in named.items() if len(items) == 1}
    items = Item.objects.in_bulk(keys.values())
    return {text: items[key] for text, key in keys.items()}


@dataclass
class Part:
    """The open units of an item: of a shipment line, or (unpacked) of an instalment."""

    item: int
    open: Decimal
    order_line: int
    shipment_line: int | None = None
    instalment: int | None = None

    @property
    def key(self) -> str:
        """As rows of a receipt name it."""
        return str(self.shipment_line) if self.shipment_line else f"i{self.instalment}"


def open_parts(context: Context, items: Iterable[int]) -> list[Part]:
    """The open parts of the items where goods are scanned, the oldest first."""
    keys = list(items)
    if context.container:
        lines = ShipmentLine.objects.filter(
            container=context.container,
            instalment__line__order__company=context.site.company_id,
            instalment__line__item__in=keys,
        )
        of = ("instalment__line__item", F("quantity") - F("accounted"), "instalment__line", "pk")
        rows = lines.order_by("pk").values_list(*of)
        return [Part(item, left, line, shipment_line=key) for item, left, line, key in rows]
    if context.order is None and not context.orders_of:
        return []
    if context.orders_of:
        of = Q(line__order__supplier=context.supplier, line__order__site=context.site, position__with_supplier__gt=0)
        order_by = ("asked_on", "line__order__number", "line__number", "number")
    else:
        of, order_by = Q(line__order=context.order), ("line__number", "number")
    of_company = Q(line__order__company=context.site.company_id, line__item__in=keys, position__isnull=False)
    parts = Instalment.objects.filter(of & of_company).order_by(*order_by)
    rows = parts.values_list("line__item", "position__with_supplier", "line", "pk")
    return [Part(item, left, line, instalment=key) for item, left, line, key in rows]


def rows_of(
    goods: Sequence[Goods], context: Context, bin: int | None, *, used: Iterable[tuple[str, Decimal]] = ()
) -> list[ReceiveRow]:
    """The rows of a receipt: each pallet's units upon what is open of the item, the oldest first; what is more is more
    of the last. Where nothing of an item is ordered there, its goods belong to no order. What was `used` of a part
    (as rows name it) by others is not open any more.
    """
    parts = open_parts(context, {one.item.pk for one in goods})
    for key, units in used:
        for part in parts:
            part.open -= units if part.key == key else ZERO
    rows: list[ReceiveRow] = []
    pallet = 0
    for one in goods:
        for _ in range(one.times):
            pallet += 1
            ours = pallet if one.scan.is_pallet and not one.scan.sscc and context.site.company.gs1_prefix else None
            rows += [
                ReceiveRow(
                    part.shipment_line if part else None,
                    units,
                    lot=one.scan.lot,
                    best_before=one.scan.best_before,
                    bin=bin,
                    instalment=part.instalment if part else None,
                    item=None if part else one.item.pk,
                    sscc=one.scan.sscc,
                    pallet=ours,
                    serials=(one.scan.serial,) if one.scan.serial and one.item.keeps_serial else (),
                )
                for part, units in _upon(parts, one)
            ]
    return _joined(rows)


def _joined(rows: Iterable[ReceiveRow]) -> list[ReceiveRow]:
    """Rows that differ in their quantity alone are one; pallets stay apart by their numbers."""
    found: dict[ReceiveRow, tuple[Decimal, tuple[str, ...]]] = {}
    for row in rows:
        key = replace(row, quantity=ZERO, serials=())
        units, serials = found.get(key, (ZERO, ()))
        found[key] = units + row.quantity, serials + row.serials
    return [replace(key, quantity=units, serials=serials) for key, (units, serials) in found.items()]


def _upon(parts: Sequence[Part], goods: Goods) -> list[tuple[Part | None, Decimal]]:
    """The parts that the units are of, and how many of each; the parts keep what is left of them."""
    if goods.shipment_line:
        fitting = [part for part in parts if part.shipment_line == goods.shipment_line]
    else:
        fitting = [part for part in parts if part.item == goods.item.pk]
    return list(upon(fitting, goods.quantity)) if fitting else [(None, goods.quantity)]


def upon(parts: Sequence[Part], quantity: Decimal) -> Iterator[tuple[Part, Decimal]]:
    """The units upon the parts, in their order; what is more is more of the last. The parts keep what is left."""
    left = quantity
    for part in parts:
        units = left if part is parts[-1] else min(left, max(part.open, ZERO))
        if units > 0:
            part.open -= units
            left -= units
            yield part, units
