"""Labels as PDF: the logistic labels of pallets, labels of items by count, and those of bins."""

from collections.abc import Iterable, Sequence
from dataclasses import dataclass, field
from datetime import date
from decimal import Decimal

from django.utils.safestring import SafeString

from northing.core.money.exact import plain
from northing.drawings.barcodes import code_128, gs1_128, readable
from northing.masterdata.models import Bin, Item, Pack
from northing.messaging.print_pdf import to_pdf
from northing.receiving.models import Receipt, ReceiptLine

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


def pallet_labels(receipt: Receipt, copies: int = 1, *, again: bool = False) -> bytes:
    """A6 labels of a receipt: one for each pallet, and for each line that stands on none."""
    lines = list(receipt.lines.filter(quantity__gt=0).select_related("item", "bin").order_by("sscc", "pk")[:MOST])
    packs = _packs(lines)
    pallets: dict[str, list[ReceiptLine]] = {}
    for line in lines:
        pallets.setdefault(line.sscc or f"line {line.pk}", []).append(line)
    labels = [_label(receipt, those, packs) for those in pallets.values()]
    return _paper([label for label in labels for _ in range(copies)], again=again)


def _packs(lines: Iterable[ReceiptLine]) -> dict[int, list[Pack]]:
    found: dict[int, list[Pack]] = {}
    packs = Pack.objects.filter(item__in={line.item_id for line in lines}, gtin__isnull=False)
    for pack in packs.order_by("-factor"):
        found.setdefault(pack.item_id, []).append(pack)
    return found


def _label(receipt: Receipt, lines: Sequence[ReceiptLine], packs: dict[int, list[Pack]]) -> Label:
    first = lines[0]
    units = sum((line.quantity for line in lines), Decimal(0))
    one = len({(line.item_id, line.lot, line.best_before) for line in lines}) == 1
    label = Label(str(receipt.company), first.sscc or first.item.code)
    label.facts = [
        ("Item", str(first.item) if one else f"{len(lines)} kinds of goods"),
        ("Count", f"{plain(units)} {first.item.unit}" if one else "see the receipt"),
        ("Lot", first.lot if one else ""),
        ("Best before", _day(first.best_before) if one else ""),
        ("Receipt", f"{receipt}, {receipt.delivery_note}"),
        ("Bin", str(first.bin)),
    ]
    label.facts = [(name, value) for name, value in label.facts if value]
    elements = _contents(first, units, packs.get(first.item_id, [])) if one else []
    if elements:
        label.codes.append(_coded(elements))
    if first.sscc:
        label.codes.append(_coded([("00", first.sscc)]))
    return label


def _day(day: date | None) -> str:
    return f"{day:%-d %b %Y}" if day else ""


def _contents(line: ReceiptLine, units: Decimal, packs: Sequence[Pack]) -> list[tuple[str, str]]:
    """The elements for a scanner: of a pallet (02) and (37), of single goods (01); days and lots beside."""
    pack = next((pack for pack in packs if units % pack.factor == 0), None)
    if pack is None:
        return []
    count = plain(units / pack.factor)
    found = [("02" if line.sscc else "01", pack.gtin.zfill(14))]
    found += [("15", f"{line.best_before:%y%m%d}")] if line.best_before else []
    found += [("37" if line.sscc else "30", count)] if count.isdecimal() and len(count) <= COUNT_DIGITS else []
    fits = line.lot and len(line.lot) <= LOT_SIGNS and line.lot.isascii() and " " not in line.lot
    return found + ([("10", line.lot)] if fits else [])


def _coded(elements: list[tuple[str, str]]) -> tuple[SafeString, str]:
    return gs1_128(elements), readable(elements)


def item_labels(item: Item, copies: int) -> bytes:
    """So many labels of an item: by its GTIN, else by its code."""
    pack = item.packs.filter(gtin__isnull=False).order_by("factor").first()
    label = Label(item.description, item.code)
    label.codes = [_coded([("01", pack.gtin.zfill(14))]) if pack else (code_128(item.code), item.code)]
    return _paper([label] * min(max(copies, 1), MOST))


def bin_labels(bins: Iterable[Bin]) -> bytes:
    """A label for each bin: scanned, what comes after it lies there."""
    labels = [
        Label(str(bin.site), bin.code, [("Bin", bin.get_purpose_display())], [(code_128(bin.code), bin.code)])
        for bin in list(bins)[:MOST]
    ]
    return _paper(labels)


def _paper(labels: Sequence[Label], *, again: bool = False) -> bytes:
    return to_pdf("receiving/labels.html", {"labels": labels, "again": again}, sums=False)
