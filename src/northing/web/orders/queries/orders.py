"""Orders with what is still to deliver and to bill, and where their goods went."""

from collections.abc import Sequence

from django.db.models import Count, Q, QuerySet, Sum

from northing.orders.models import PurchaseOrder
from northing.shipping.models import Shipment, ShipmentLine
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
    packed = ShipmentLine.objects.filter(instalment__line__order=order).values("container__shipment")
    return Shipment.objects.filter(pk__in=packed).select_related("voyage").order_by("-pk")
