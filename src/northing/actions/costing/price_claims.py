"""A price difference on goods whose price is claimed raises the claim, in the currency that is owed as well."""

from decimal import Decimal

from django.db.models import Q, Sum

from northing.billing.models import BilledGoods
from northing.claims import operations as claims
from northing.claims.models import Claim
from northing.core.costing.accruals import foreign_taken
from northing.core.money.money import from_minor, to_minor
from northing.ledger.models import CostLayer, DocumentKind, Entry
from northing.ledger.operations import Draft

ZERO = Decimal(0)


def raised(entry: Entry, layer: CostLayer, draft: Draft) -> Draft:
    """The posting of such a difference of a layer on its claim; the claim grows by it."""
    order = layer.shipment_line.instalment.line.order
    case = Claim.objects.filter(layer=layer, withdrawn_at=None, amounts__isnull=False).order_by("pk")[:1].get()
    amount = _in_currency(layer, draft.amount, order.currency)
    claims.add_amounts(entry, [(case.pk, "difference", order.currency, amount, draft.amount)])
    return draft._replace(
        foreign_amount=amount,
        foreign_currency=order.currency,
        party=order.supplier_id,
        document_kind=DocumentKind.CASE,
        document=case.pk,
    )


def _in_currency(layer: CostLayer, base: Decimal, currency: str) -> Decimal:
    """What a part of the price differences of a layer's goods is in the order's currency: the same part of them."""
    goods = Q(shipment_line=layer.shipment_line_id)
    if layer.receipt_line_id:
        goods |= Q(receipt_line=layer.receipt_line_id)
    sums = BilledGoods.objects.filter(goods).aggregate(a=Sum("difference"), b=Sum("difference_base"))
    own = layer.company.currency
    whole = to_minor(sums["a"] or ZERO, currency), to_minor(sums["b"] or ZERO, own)
    return from_minor(foreign_taken(*whole, to_minor(base, own)), currency)
