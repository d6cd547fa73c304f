"""What bills say of goods above or below their price when they became ours, as totals that layers take up."""

from collections import defaultdict
from collections.abc import Iterable, Mapping
from decimal import Decimal

from django.db.models import Q, Sum

from northing.actions.costing.absorb import PRICE_DIFFERENCE, Bearer, Component
from northing.actions.costing.recognitions import Recognition
from northing.billing.models import BilledGoods
from northing.claims.models import CaseEnd
from northing.ledger.models import DocumentKind
from northing.shipping.models import ShipmentLine

ZERO = Decimal(0)
# The totals of shipment lines, and those of goods that became ours by a receipt line (id).
PriceTotals = tuple[dict[Bearer, dict[Component, Decimal]], Mapping[int, Decimal]]


def price_totals(parts: Iterable[int], more: Iterable[tuple[Recognition, Decimal]] = ()) -> PriceTotals:
    """The price differences of shipment lines (ids) by standing bills; `more` is not booked yet."""
    keys = set(parts)
    billed = BilledGoods.objects.filter(
        Q(shipment_line__any_of=list(keys)) | Q(receipt_line__shipment_line__any_of=list(keys)),
        line__bill__reversed_by=None,
    )
    of_parts: dict[int, Decimal] = defaultdict(Decimal)
    own: dict[int, Decimal] = defaultdict(Decimal)
    for part, receipt_line, total in (
        billed.values_list("shipment_line", "receipt_line").order_by().annotate(t=Sum("difference_base"))
    ):
        if part:
            of_parts[part] += total
        else:
            own[receipt_line] += total
    for receipt_line, total in _reduced(keys):
        own[receipt_line] -= total
    for goods, cost in more:
        (own if goods.kind == DocumentKind.RECEIPT_LINE else of_parts)[goods.document] += cost
    lines = ShipmentLine.objects.filter(pk__any_of=list(keys)).values_list("pk", "instalment__line")
    totals = {Bearer(line, part): {PRICE_DIFFERENCE: of_parts[part]} for part, line in lines}
    return totals, own


def _reduced(parts: Iterable[int]) -> Iterable[tuple[int, Decimal]]:
    """What is off the price of goods that were kept all the same, by their receipt line (id)."""
    found = CaseEnd.objects.filter(case__layer__shipment_line__any_of=list(parts), reversed_by=None, reduced_base__gt=0)
    return found.values_list("case__layer__receipt_line").order_by().annotate(t=Sum("reduced_base"))


def add_prices(totals: dict[Bearer, dict[Component, Decimal]]) -> Mapping[int, Decimal]:
    """Put price differences beside the other totals of shipment lines; returns those of receipt lines (ids)."""
    parts = {bearer.shipment_line for bearer in totals if bearer.shipment_line is not None}
    prices, own = price_totals(parts) if parts else ({}, {})
    if own or any(one[PRICE_DIFFERENCE] for one in prices.values()):
        for bearer, found in prices.items():
            totals[bearer].update(found)
    return own
