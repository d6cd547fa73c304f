"""Goods as they became ours: units, their worth, and how much of them was billed, given up or claimed since.

A recognition is the goods of a shipment from the day they became ours, or those of a receipt that made them ours.
"""

from collections import defaultdict
from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass
from datetime import date
from decimal import Decimal

from django.db.models import Q, Sum

from northing.billing.models import BilledGoods
from northing.core.money.spread import amount_so_far
from northing.ledger.models import Account, Allocation, CostLayer, DocumentKind, LayerTake, OpenItem
from northing.receiving.models import ReceiptLine
from northing.shipping.models import ShipmentLine

ZERO = Decimal(0)
# A recognition by the kind of its document and its id.
Key = tuple[str, int]


@dataclass(frozen=True)
class Part:
    """Units of a recognition with their worth in the order's currency and in base."""

    units: Decimal = ZERO
    amount: Decimal = ZERO
    base: Decimal = ZERO


@dataclass(frozen=True)
class Recognition:
    """Units that became ours together; `part` is the shipment line they are of.

    `used` is off owned not billed: billed, or given up unbilled. `billed` is worth what the bills say, a difference of
    the price included; `claimed` units of it are gone, and the supplier owes us their price.
    """

    kind: str
    document: int
    line: int
    part: int
    day: date
    units: Decimal
    amount: Decimal
    base: Decimal
    currency: str
    base_currency: str
    item: int | None
    used: Part
    billed: Part
    claimed: Decimal

    @property
    def key(self) -> Key:
        """The document that says it."""
        return self.kind, self.document

    @property
    def open_units(self) -> Decimal:
        """Units that are ours and neither billed nor given up."""
        return self.units - self.used.units if self.item else ZERO

    def next_open(self, units: Decimal) -> Part:
        """The worth of the next open units: the cumulative share, less what was used before."""
        through = self.used.units + units
        return Part(
            units,
            amount_so_far(self.amount, self.currency, through, self.units) - self.used.amount,
            amount_so_far(self.base, self.base_currency, through, self.units) - self.used.base,
        )

    def next_claimed(self, units: Decimal) -> Part:
        """The price of the next billed units that go: the share by units of what the bills say."""
        before, through, whole = self.claimed, self.claimed + units, self.billed.units
        return Part(
            units,
            *(
                amount_so_far(total, currency, through, whole) - amount_so_far(total, currency, before, whole)
                for total, currency in ((self.billed.amount, self.currency), (self.billed.base, self.base_currency))
            ),
        )


def of_lines(lines: Iterable[int]) -> list[Recognition]:
    """The recognitions of order lines (ids), the oldest first."""
    keys = list(lines)
    found = [
        *_of_shipments(Q(instalment__line__in=keys, goods_base__isnull=False)),
        *_of_receipts(Q(instalment__line__in=keys, recognised_units__gt=0, receipt__reversed_by=None)),
    ]
    return sorted(_with_uses(found), key=lambda one: (one.day, one.kind, one.document))


def of_layer(layer: CostLayer) -> list[Recognition]:
    """The recognitions of a layer's units; those beyond the shipment first, as excess goes first."""
    return of_layers([layer])[layer.pk]


def of_layers(layers: Sequence[CostLayer]) -> dict[int, list[Recognition]]:
    """`of_layer` for many, by layer (id)."""
    keys = {layer.pk: _keys_of(layer) for layer in layers}
    by_kind: dict[str, list[int]] = defaultdict(list)
    for kind, document in dict.fromkeys(key for those in keys.values() for key in those):
        by_kind[kind].append(document)
    found = []
    for kind, read in ((DocumentKind.RECEIPT_LINE, _of_receipts), (DocumentKind.SHIPMENT_LINE, _of_shipments)):
        if documents := by_kind.get(str(kind)):
            found += read(Q(pk__in=documents))
    made = {one.key: one for one in _with_uses(found)}
    return {layer: [made[key] for key in those] for layer, those in keys.items()}


def _keys_of(layer: CostLayer) -> list[Key]:
    line, goods, found = layer.receipt_line, layer.shipment_line, []
    if line is not None and layer.kind == CostLayer.Kind.STOCK and line.recognised_units:
        found.append((str(DocumentKind.RECEIPT_LINE), line.pk))
    if goods is not None and goods.goods_base is not None:
        found.append((str(DocumentKind.SHIPMENT_LINE), goods.pk))
    return found


ORDER = "instalment__line__order"
NAMES = ("document", "line", "currency", "base_currency", "part", "day", "units", "amount", "base", "opening_billed")
SHARED = ("pk", "instalment__line", f"{ORDER}__currency", f"{ORDER}__company__currency")


def _of_shipments(where: Q) -> Iterator[dict]:
    fields = (*SHARED, "pk", "ours_on", "quantity", "goods_amount", "goods_base", "opening_billed")
    for row in ShipmentLine.objects.filter(where).values_list(*fields):
        yield dict(zip(NAMES, row, strict=True)) | {"kind": str(DocumentKind.SHIPMENT_LINE)}


def _of_receipts(where: Q) -> Iterator[dict]:
    fields = (*SHARED, "shipment_line", "receipt__occurred_on")
    fields += ("recognised_units", "recognised_amount", "recognised_base")
    for row in ReceiptLine.objects.filter(where).values_list(*fields):
        yield dict(zip(NAMES, (*row, False), strict=True)) | {"kind": str(DocumentKind.RECEIPT_LINE)}


def _with_uses(found: Sequence[dict]) -> Iterator[Recognition]:
    by_kind: dict[str, list[int]] = defaultdict(list)
    for one in found:
        by_kind[one["kind"]].append(one["document"])
    items, used, billed, claimed = _items(by_kind), _used(by_kind), _billed(by_kind), _claimed(by_kind)
    for one in found:
        key = one["kind"], one["document"]
        opening = one.pop("opening_billed")
        whole = Part(one["units"], one["amount"], one["base"])
        yield Recognition(
            **one,
            item=None if opening else items.get(key),
            used=used.get(key, Part()),
            billed=whole if opening else billed.get(key, Part()),
            claimed=claimed.get(key, ZERO),
        )


def _of_kinds(by_kind: Mapping[str, Sequence[int]], prefix: str = "") -> Q:
    found = Q(pk__in=[])
    for kind, documents in by_kind.items():
        found |= Q(**{f"{prefix}document_kind": kind, f"{prefix}document__any_of": list(documents)})
    return found


def _items(by_kind: Mapping[str, Sequence[int]]) -> dict[Key, int]:
    found = OpenItem.objects.filter(_of_kinds(by_kind), account=Account.OWNED_NOT_BILLED)
    return {(kind, document): key for key, kind, document in found.values_list("pk", "document_kind", "document")}


def _used(by_kind: Mapping[str, Sequence[int]]) -> dict[Key, Part]:
    rows = Allocation.objects.filter(_of_kinds(by_kind, "item__"), item__account=Account.OWNED_NOT_BILLED)
    rows = rows.values_list("item__document_kind", "item__document").order_by()
    sums = rows.annotate(units=Sum("quantity"), a=Sum("amount"), b=Sum("base"))
    return {(kind, document): Part(units or ZERO, amount, base) for kind, document, units, amount, base in sums}


def _billed(by_kind: Mapping[str, Sequence[int]]) -> dict[Key, Part]:
    found = {}
    for kind, documents in by_kind.items():
        rows = BilledGoods.objects.filter(**{f"{kind}__any_of": list(documents)}, line__bill__reversed_by=None)
        sums = rows.values_list(kind).order_by()
        sums = sums.annotate(u=Sum("units"), a=Sum("amount"), d=Sum("difference"), b=Sum("base"))
        for document, units, amount, difference, base, cost in sums.annotate(c=Sum("difference_base")):
            found[kind, document] = Part(units, amount + difference, base + cost)
    return found


def _claimed(by_kind: Mapping[str, Sequence[int]]) -> dict[Key, Decimal]:
    """Units gone whose price is claimed."""
    found: dict[Key, Decimal] = {}
    for kind, documents in by_kind.items():
        rows = LayerTake.objects.filter(claimed=True, **{f"layer__{kind}__any_of": list(documents)})
        for document, units in rows.values_list(f"layer__{kind}").order_by().annotate(u=Sum("quantity")):
            found[kind, document] = units
    return found
