"""The supply of an order's lines: where their units lie, and which can still be changed."""

from decimal import Decimal

from django.db.models import Sum

from northing.orders.models import Instalment, OrderLine, PurchaseOrder

PLACES = ("with_supplier", "packed", "under_way", "landed", "held", "in_store", "dropped")


def of_order(order: PurchaseOrder) -> list[OrderLine]:
    """The lines, each with its units by place; `gone` is what is neither with the supplier nor dropped."""
    sums = {name: Sum(f"instalments__position__{name}", default=Decimal(0)) for name in PLACES}
    lines = list(order.lines.select_related("item").annotate(**sums).order_by("number"))
    for line in lines:
        line.gone = line.quantity - line.with_supplier - line.dropped
    return lines


def free_parts(line: OrderLine) -> list[Instalment]:
    """The instalments of which units are still with the supplier."""
    found = Instalment.objects.filter(line=line, position__with_supplier__gt=0).select_related("position")
    return list(found.order_by("number"))
