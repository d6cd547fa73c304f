"""Labels as PDF: the logistic labels of pallets, labels of items by count, and those of bins."""

from collections.abc import Iterable, Sequence
from dataclasses import dataclass, field
from datetime import date
from decimal import Decimal
from typing import TypeVar

from django.utils.safestring import SafeString

from northing.claims.models import GoodsReturn
from northing.core.money.exact import plain
from northing.drawings.barcodes import code_128, gs1_128, readable
from northing.masterdata.models import Bin, Item, Pack
from northing.messaging.print_pdf import to_pdf
from northing.receiving.models import Receipt
from northing.shipping.models import DespatchNotice, NoticeLine

T = TypeVar("T")
# At a time.
MOST = 500
# Most digits of a count, and signs of a lot, that a barcode carries (GS1 General Specifications 3.4.1, 3.7).
COUNT_DIGITS, LOT_SIGNS = 8, 20


@dataclass
class Label:
    """A label: lines for people, barcodes for scanners, each with its text below."""

    title: str
    big: str
    facts: list[tuple[str, str]] = field(default_factory=list)
    codes: list[tuple[SafeString, str]] = field(default_factory=list)


@dataclass(frozen=True)
class Stands:
    """Units of an item, of one lot and day, on a pallet or (no SSCC) on none, and what else their label says."""

    item: Item
    quantity: Decimal
    lot: str
    best_before: date | None
    sscc: str
    facts: tuple[tuple[str, str], ...]


def receipt_labels(receipt: Receipt, copies: int = 1, *, again: bool = False, first: int = 1) -> bytes:
    """A6 labels of a receipt: one for each pallet, and for each line that stands on none; from the `first` one on."""
    lines = receipt.lines.filter(quantity__gt=0).select_related("item", "bin").order_by("sscc", "pk")
    came = ("Receipt", f"{receipt}, {receipt.delivery_note}")
    rows = [
        Stands(one.item, one.quantity, one.lot, one.best_before, one.sscc, (came, ("Bin", str(one.bin))))
        for one in lines
    ]
    return _paper(_of_pallets(str(receipt.company), rows, copies, first), again=again)


def notice_labels(
    notice: DespatchNotice, lines: Iterable[NoticeLine], copies: int = 1, *, again: bool = False, first: int = 1
) -> bytes:
    """A6 labels of a despatch notice's pallets, and of its rows that stand on none; from the `first` one on.

    Rows of which no line of ours is known are left out.
    """
    came = ("Notice", notice.number)
    rows = [
        Stands(
            one.order_line.item, one.quantity, one.lot, one.best_before, one.sscc,
            (came, ("Order", f"{one.order}/{one.order_line.number}")),
        )
        for one in lines
        if one.order_line
    ]  # fmt: skip
    rows.sort(key=lambda one: one.sscc)
    return _paper(_of_pallets(str(notice.supplier or "Announced goods"), rows, copies, first), again=again)


def labels_of_return(made: GoodsReturn) -> bytes:
    """An A6 label for each package of a return: where it goes, under which reference, and which of them it is."""
    to = made.deliver_to.splitlines() or [f"{made.supplier.city} {made.supplier.country}".strip()]
    facts = [("To", str(made.supplier)), *(("", line) for line in to[:5])]
    facts += [("Your reference", made.reference), ("From", f"{made.company}, {made.site}")]
    code = (code_128(made.number), made.number)
    return _paper(
        [
            Label("Return", made.number, [*facts, ("Package", f"{one} of {made.packages}")], [code])
            for one in range(1, made.packages + 1)
        ],
        again=False,
    )


def _of_pallets(title: str, rows: Sequence[Stands], copies: int, first: int) -> list[Label]:
    pallets: dict[str, list[Stands]] = {}
    for place, row in enumerate(rows):
        pallets.setdefault(row.sscc or f"row {place}", []).append(row)
    shown, rest = _some(list(pallets.values()), first)
    packs = _packs({row.item.pk for those in shown for row in those})
    labels = [_label(title, those, packs) for those in shown]
    return [*(label for label in labels for _ in range(copies)), *rest]


def _some(things: Sequence[T], first: int) -> tuple[Sequence[T], list[Label]]:
    """As many as are printed at a time, from the first on; and a page that says how many are left, and how to go on."""
    shown = things[first - 1 : first - 1 + MOST]
    left = len(things) - (first - 1) - len(shown)
    rest = Label("Not printed yet", f"{left} more labels", [("Go on", f"from label {first + MOST}")])
    return shown, [rest] if left > 0 else []


def _packs(items: Iterable[int]) -> dict[int, list[Pack]]:
    found: dict[int, list[Pack]] = {}
    for pack in Pack.objects.filter(item__in=list(items), gtin__isnull=False).order_by("-factor"):
        found.setdefault(pack.item_id, []).append(pack)
    return found


def _label(title: str, rows: Sequence[Stands], packs: dict[int, list[Pack]]) -> Label:
    first = rows[0]
    units = sum((row.quantity for row in rows), Decimal(0))
    kinds = len({(row.item.pk, row.lot, row.best_before) for row in rows})
    one = kinds == 1
    label = Label(title, first.sscc or first.item.code)
    label.facts = [
        ("Item", str(first.item) if one else f"{kinds} kinds of goods"),
        ("Count", f"{plain(units)} {first.item.unit}" if one else "see the papers"),
        ("Lot", first.lot if one else ""),
        ("Best before", _day(first.best_before) if one else ""),
        *first.facts,
    ]
    label.facts = [(name, value) for name, value in label.facts if value]
    elements = _contents(first, units, packs.get(first.item.pk, [])) if one else []
    if elements:
        label.codes.append(_coded(elements))
    if first.sscc:
        label.codes.append(_coded([("00", first.sscc)]))
    return label


def _day(day: date | None) -> str:
    return f"{day:%-d %b %Y}" if day else ""


def _contents(row: Stands, units: Decimal, packs: Sequence[Pack]) -> list[tuple[str, str]]:
    """The elements for a scanner: of a pallet (02) and (37), of single goods (01); days and lots beside."""
    pack = next((pack for pack in packs if units % pack.factor == 0), None)
    if pack is None:
        return []
    count = plain(units / pack.factor)
    found = [("02" if row.sscc else "01", pack.gtin.zfill(14))]
    found += [("15", f"{row.best_before:%y%m%d}")] if row.best_before else []
    found += [("37" if row.sscc else "30", count)] if count.isdecimal() and len(count) <= COUNT_DIGITS else []
    fits = row.lot and len(row.lot) <= LOT_SIGNS and row.lot.isascii() and " " not in row.lot
    return found + ([("10", row.lot)] if fits else [])


def _coded(elements: list[tuple[str, str]]) -> tuple[SafeString, str]:
    return gs1_128(elements), readable(elements)


def item_labels(item: Item, copies: int) -> bytes:
    """So many labels of an item: by its GTIN, else by its code."""
    pack = item.packs.filter(gtin__isnull=False).order_by("factor").first()
    label = Label(item.description, item.code)
    label.codes = [_coded([("01", pack.gtin.zfill(14))]) if pack else (code_128(item.code), item.code)]
    return _paper([label] * min(max(copies, 1), MOST))


def bin_labels(bins: Sequence[Bin], first: int = 1) -> bytes:
    """A label for each bin, from the `first` one on: the goods that are scanned after it lie there."""
    shown, rest = _some(bins, first)
    labels = [
        Label(str(bin.site), bin.code, [("Bin", bin.get_purpose_display())], [(code_128(bin.code), bin.code)])
        for bin in shown
    ]
    return _paper([*labels, *rest])


def _paper(labels: Sequence[Label], *, again: bool = False) -> bytes:
    return to_pdf("receiving/labels.html", {"labels": labels, "again": again}, sums=False)
