"""Where the order lines of a receipt stand."""

from northing.receiving.models import Receipt, ReceiptLine
from northing.worklist.models import LineSummary

MOST = 200


def line_standings(receipt: Receipt) -> list[LineSummary]:
    """The order lines of a receipt with their quantities as they are now, at most so many."""
    lines = ReceiptLine.objects.filter(receipt=receipt, instalment__isnull=False).values("instalment__line")
    found = LineSummary.objects.filter(pk__in=lines).select_related("line", "order", "item")
    return list(found.order_by("order__number", "line__number")[:MOST])
