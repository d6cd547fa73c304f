"""Orders with what is still to deliver and to bill, and where their goods went."""

from collections.abc import Sequence

from django.db.models import Count, Q, QuerySet, Sum

from northing.orders.models import PurchaseOrder
from northing.receiving.models import Receipt
from northing.shipping.models import Shipment
from northing.worklist.models import LineSummary


def with_figures(orders: Sequence[PurchaseOrder]) -> None:
    """Each order gets `out` (worth of what is outstanding, in its currency) and `to_bill` (lines not billed yet)."""
    lines = LineSummary.objects.filter(order__in=[order.pk for order in orders]).values("order").order_by()
    rows = lines.annotate(out=Sum("value"), to_bill=Count("pk", filter=Q(unbilled__gt=0)))
    found = {row["order"]: row for row in rows}
    for order in orders:
        row = found.get(order.pk, {})
        order.out, order.to_bill = row.get("out"), row.get("to_bill")


def shipments_of(order: PurchaseOrder) -> QuerySet[Shipment]:
    """The shipments that goods of an order are packed in, the newest first."""
    found = Shipment.objects.filter(containers__shipment_lines__instalment__line__order=order).distinct()
    return found.select_related("voyage").order_by("-pk")


def receipts_of(order: PurchaseOrder) -> QuerySet[Receipt]:
    """The receipts of goods of an order, the newest first."""
    found = Receipt.objects.filter(lines__instalment__line__order=order).distinct()
    return found.select_related("container", "site").order_by("-pk")
