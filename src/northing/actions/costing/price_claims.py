"""A price difference on goods whose price is claimed raises the claim, in the currency that is owed as well."""

from decimal import Decimal

from django.db.models import Sum

from northing.actions.costing.recognitions import of_layer
from northing.claims import operations as claims
from northing.claims.models import Claim, ClaimAmount
from northing.core.money.spread import amount_so_far
from northing.ledger.models import CostLayer, DocumentKind, Entry, LayerTake
from northing.ledger.operations import Draft

ZERO = Decimal(0)


def raised(entry: Entry, layer: CostLayer, draft: Draft) -> Draft:
    """The posting of such a difference of a layer on its claim; the claim grows by it."""
    order = layer.shipment_line.instalment.line.order
    case = Claim.objects.filter(layer=layer, withdrawn_at=None, amounts__isnull=False).order_by("pk")[:1].get()
    amount = _in_currency(layer, order.currency)
    claims.add_amounts(entry, [(case.pk, case.against_id, "difference", order.currency, amount, draft.amount)])
    return draft._replace(
        foreign_amount=amount,
        foreign_currency=order.currency,
        party=case.against_id,
        document_kind=DocumentKind.CASE,
        document=case.pk,
    )


def _in_currency(layer: CostLayer, currency: str) -> Decimal:
    """By how much the claim of a layer's units is short of what the bills say of them now, in the order's currency."""
    takes = LayerTake.objects.filter(layer=layer, claimed=True).aggregate(u=Sum("quantity"))
    left, target = takes["u"] or ZERO, ZERO
    for one in of_layer(layer):
        part = min(left, one.billed.units)
        if part > 0:
            left -= part
            target += amount_so_far(one.billed.amount, currency, part, one.billed.units)
    of_price = (ClaimAmount.Why.PRICE, ClaimAmount.Why.DIFFERENCE)
    had = ClaimAmount.objects.filter(case__layer=layer, why__in=of_price)
    return target - (had.aggregate(a=Sum("amount"))["a"] or ZERO)
