"""Deliveries and receipts by whatever the paper shows: each word narrows."""

from collections.abc import Collection
from urllib.parse import parse_qs, urlsplit

from django.db.models import Q, QuerySet

from northing.activity.models import HistoryLink
from northing.core.problems import Refused
from northing.formats.gs1 import read_scan
from northing.formats.identifiers import written_gtins
from northing.masterdata.models import Agreement, Item, Pack, Party
from northing.orders.models import PurchaseOrder
from northing.orders.queries import called
from northing.receiving.models import Receipt, ReceiptLine
from northing.shipping.models import Container, DespatchNotice, HandlingUnit, Shipment, ShipmentLine
from northing.worklist.models import ExpectedDelivery, LineSummary

# So many words count.
WORDS = 6


def words_of(text: str) -> list[str]:
    """The words that are asked for; of a scanned label its pallet, or its article number."""
    text = parse_qs(urlsplit(text).query).get("q", [text])[0] if text.startswith("http") else text
    try:
        scan = read_scan(text)
    except Refused:
        scan = None
    if scan and (scan.sscc or scan.gtin):
        return [scan.sscc or scan.gtin]
    return text.replace("\x00", "").split()[:WORDS]


def is_label(text: str) -> bool:
    """Whether it is what a scanner reads off the label of goods: it says more than which ones."""
    try:
        scan = read_scan(text)
    except Refused:
        return False
    return bool(scan.gtin) and (scan.is_pallet or bool(scan.lot))


def deliveries_found(deliveries: QuerySet[ExpectedDelivery], words: list[str]) -> QuerySet[ExpectedDelivery]:
    """Those with an open line that every word says something of."""
    sites = deliveries.order_by().values("site")
    lines = LineSummary.objects.filter(is_open=True, site__in=sites)
    for word in words:
        lines = lines.filter(_named_by(word))
    aboard = ShipmentLine.objects.filter(instalment__line__in=lines.values("pk"), container__isnull=False)
    boxes = set(aboard.order_by().values_list("container", flat=True).distinct())
    orders = set(lines.filter(with_supplier__gt=0).order_by().values_list("order", flat=True).distinct())
    return deliveries.filter(Q(container__in=boxes) | Q(order__in=orders))


def receipts_found(receipts: QuerySet[Receipt], words: list[str]) -> QuerySet[Receipt]:
    """Those whose delivery note, container, remark or goods every word says something of."""
    for word in words:
        goods = LineSummary.objects.filter(_named_by(word)).values("pk")
        lines = ReceiptLine.objects.filter(instalment__line__in=goods).values("receipt")
        pallets = ReceiptLine.objects.filter(sscc=word).exclude(sscc="").values("receipt")
        goods_of_them = Q(pk__in=lines) | Q(pk__in=pallets) | Q(pk__in=_without_order(word))
        told = (
            Q(delivery_note__icontains=word)
            | Q(supplier_bill__iexact=word)
            | Q(number__icontains=word)
            | Q(container__number__icontains=word)
        )
        receipts = receipts.filter(told | goods_of_them | Q(pk__in=_remarked(word)))
    return receipts


def _without_order(word: str) -> QuerySet:
    """Receipts (ids) of goods without an order, by their supplier or item."""
    named = Q(supplier__in=_keys(_suppliers(word))) | Q(item__in=_keys(_items(word)))
    return ReceiptLine.objects.exclude(why="").filter(named).values("receipt")


def _remarked(word: str) -> QuerySet:
    """Receipts (ids) in whose story a remark says the word: that of their container, else of their order."""
    said = HistoryLink.objects.filter(entry__action="remark", entry__text__icontains=word)
    boxes, orders, own = (said.filter(kind=kind).values("record") for kind in ("container", "order", "receipt"))
    of_orders = ReceiptLine.objects.filter(receipt__container=None, instalment__line__order__in=orders)
    found = Q(container__in=boxes) | Q(pk__in=of_orders.values("receipt")) | Q(pk__in=own) | Q(remark__icontains=word)
    return Receipt.objects.filter(found).values("pk")


def _named_by(word: str) -> Q:
    """Lines of the supplier, item, order, container, shipment, pallet or notice that the word names."""
    return (
        Q(supplier__in=_keys(_suppliers(word)))
        | Q(item__in=_keys(_items(word)))
        | Q(order__in=_keys(PurchaseOrder.objects.filter(called(word))))
        | Q(pk__in=_lines_aboard(word))
    )


def _suppliers(word: str) -> QuerySet[Party]:
    return Party.objects.filter(Q(name__icontains=word) | Q(code__iexact=word), kind=Party.Kind.SUPPLIER)


def _items(word: str) -> QuerySet[Item]:
    """By their code, words of them, the supplier's code, or a GTIN."""
    codes = Agreement.objects.filter(supplier_code__iexact=word).values("item")
    packed = Pack.objects.filter(gtin__in=_gtins(word)).values("item")
    named = Q(code__icontains=word) | Q(description__icontains=word)
    return Item.objects.filter(named | Q(pk__in=codes) | Q(pk__in=packed))


def _gtins(word: str) -> list[str]:
    """A GTIN as it may be stored: of 8, 12, 13 or 14 digits."""
    return [word, *written_gtins(word)] if word.isdecimal() else []


def _lines_aboard(word: str) -> Collection[int]:
    boxes = _keys(Container.objects.filter(Q(number__icontains=word) | Q(seal__iexact=word)))
    boxes |= set(HandlingUnit.objects.filter(sscc=word).values_list("container", flat=True))
    shipments = _keys(Shipment.objects.filter(Q(reference__icontains=word) | Q(document__icontains=word)))
    shipments |= set(
        DespatchNotice.objects.filter(number__iexact=word, shipment__isnull=False).values_list("shipment", flat=True)
    )
    aboard = ShipmentLine.objects.filter(Q(container__in=boxes) | Q(container__shipment__in=shipments)).order_by()
    return set(aboard.values_list("instalment__line", flat=True))


def _keys(records: QuerySet) -> set[int]:
    return set(records.order_by().values_list("pk", flat=True))
