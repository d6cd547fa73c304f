"""The goods price of units that go back, or that never came: not billed yet, they are owed no more; billed, claimed."""

from collections.abc import Iterator
from dataclasses import dataclass
from decimal import Decimal

from django.db.models import Sum

from northing.core.money.money import from_minor, to_minor
from northing.core.money.spread import share_so_far
from northing.ledger.models import Account, Allocation, CostLayer, DocumentKind, Entry, LayerTake, OpenItem
from northing.ledger.operations import Draft, allocate

ZERO = Decimal(0)
# How units go for which the goods price is not paid, or is claimed back.
WAYS = (LayerTake.Reason.RETURNED, LayerTake.Reason.MISSING)


@dataclass(frozen=True)
class Recognition:
    """Units of a layer that became ours together: what they are worth in the order's currency and in base."""

    kind: str
    document: int
    units: Decimal
    amount: Decimal
    base: Decimal
    billed: bool


def recognitions(layer: CostLayer) -> Iterator[Recognition]:
    """The recognitions of a layer's units; those beyond the shipment first, as excess goes first."""
    line, goods = layer.receipt_line, layer.shipment_line
    if line is not None and layer.kind == CostLayer.Kind.STOCK and line.recognised_units:
        amount, base = line.recognised_amount, line.recognised_base
        yield Recognition(DocumentKind.RECEIPT_LINE, line.pk, line.recognised_units, amount, base, False)
    if goods is not None and goods.goods_base is not None:
        kind, billed = DocumentKind.SHIPMENT_LINE, goods.opening_billed
        yield Recognition(kind, goods.pk, goods.quantity, goods.goods_amount, goods.goods_base, billed)


def release(entry: Entry, layer: CostLayer, quantity: Decimal, case: int) -> list[Draft]:
    """The postings for the goods price of `quantity` units of a layer that go back or are missing; debits.

    Each recognition gives its cumulative share, less what it gave before. Units without a recognition (free of
    charge) have no price.
    """
    drafts, left = [], quantity
    for found in recognitions(layer):
        used = _used(layer, found)
        part = min(left, found.units - used.units)
        if part <= 0:
            continue
        left -= part
        drafts.append(_released(entry, layer, found, used, part, case))
    return drafts


@dataclass(frozen=True)
class Used:
    """The part of a recognition that was released before: units, and their price in both currencies."""

    units: Decimal
    amount: Decimal
    base: Decimal


def _used(layer: CostLayer, found: Recognition) -> Used:
    if found.billed:
        takes = LayerTake.objects.filter(layer__shipment_line=found.document, reason__in=WAYS)
        units = takes.aggregate(total=Sum("quantity"))["total"] or ZERO
        order = layer.shipment_line.instalment.line.order
        return Used(
            units,
            _share(found.amount, order.currency, units, found.units),
            _share(found.base, layer.company.currency, units, found.units),
        )
    rows = Allocation.objects.filter(item__document_kind=found.kind, item__document=found.document)
    sums = rows.aggregate(units=Sum("quantity"), amount=Sum("amount"), base=Sum("base"))
    return Used(sums["units"] or ZERO, sums["amount"] or ZERO, sums["base"] or ZERO)


def _released(entry: Entry, layer: CostLayer, found: Recognition, used: Used, part: Decimal, case: int) -> Draft:
    line = layer.shipment_line.instalment.line
    order, through = line.order, used.units + part
    amount = _share(found.amount, order.currency, through, found.units) - used.amount
    base = _share(found.base, layer.company.currency, through, found.units) - used.base
    draft = Draft(
        layer.company_id,
        Account.CLAIMS if found.billed else Account.OWNED_NOT_BILLED,
        base,
        amount,
        order.currency,
        order_line=line.pk,
        layer=layer.pk,
        party=order.supplier_id,
        document_kind=DocumentKind.CASE if found.billed else found.kind,
        document=case if found.billed else found.document,
    )
    if not found.billed:
        item = OpenItem.objects.get(account=Account.OWNED_NOT_BILLED, document_kind=found.kind, document=found.document)
        allocate(entry, item, amount, base, part)
    return draft


def _share(total: Decimal, currency: str, through: Decimal, units: Decimal) -> Decimal:
    return from_minor(share_so_far(to_minor(total, currency), through, units), currency)
