"""The balance that releases a shipment's papers is paid as soon as the bills of all its goods are."""

from collections import defaultdict
from collections.abc import Iterable
from datetime import date
from decimal import Decimal

from django.db.models import Sum

from northing.access.acts import Act
from northing.actions.shipping.required_documents import bring_documents_along
from northing.activity.operations import add_history
from northing.billing.models import Bill, BillLine
from northing.reports.settlement import settlements
from northing.shipping import operations as shipping
from northing.shipping.models import RequiredDocument, Shipment, ShipmentLine
from northing.worklist.models import LineSummary

BALANCE = RequiredDocument.Kind.BALANCE


def settle_balances(act: Act, bills: Iterable[int], day: date, payment: int) -> None:
    """Balances due on shipments with goods of these bills (ids), all of which are billed and paid now."""
    lines = BillLine.objects.filter(bill__in=list(bills), order_line__isnull=False).values("order_line")
    aboard = ShipmentLine.objects.filter(instalment__line__in=lines, container__isnull=False)
    waiting = RequiredDocument.objects.filter(
        kind=BALANCE, done_on=None, shipment__in=aboard.values("container__shipment")
    )
    for paper in waiting.select_related("shipment").order_by("pk"):
        if _is_paid(paper.shipment):
            shipping.complete_document(paper, day, _reference(payment), "")
            bring_documents_along(paper.shipment)
            links = [("shipment", paper.shipment_id, None), ("payment", payment, None)]
            add_history(act, "complete_document", f"{paper} is paid", links, day)


def open_balances(act: Act, payment: int) -> None:
    """A payment (id) is undone: the balances that it settled are due again."""
    settled = RequiredDocument.objects.filter(kind=BALANCE, reference=_reference(payment)).exclude(done_on=None)
    for paper in settled.select_related("shipment").order_by("pk"):
        shipping.complete_document(paper, None, "", "")
        bring_documents_along(paper.shipment)
        add_history(act, "complete_document", f"{paper} is not paid after all", [("shipment", paper.shipment_id, None)])


def _reference(payment: int) -> str:
    return f"payment {payment}"


def _is_paid(shipment: Shipment) -> bool:
    """Whether all goods aboard are billed, and nothing of their bills is open or in dispute."""
    aboard: dict[int, Decimal] = defaultdict(Decimal)
    rows = ShipmentLine.objects.filter(container__shipment=shipment).values_list("instalment__line").order_by()
    for line, units in rows.annotate(u=Sum("quantity")):
        aboard[line] += units
    billed = dict(LineSummary.objects.filter(line__in=aboard).values_list("line", "billed"))
    if any(billed.get(line, Decimal(0)) < units for line, units in aboard.items()):
        return False
    found = Bill.objects.filter(lines__order_line__in=aboard, reversed_by=None, kind=Bill.Kind.BILL).distinct()
    return not any(one.left for one in settlements(list(found)).values())
