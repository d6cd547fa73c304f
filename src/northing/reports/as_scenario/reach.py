"""How far a scenario has to reach: the lines, shipments and charges that bear on each other's cost."""

from dataclasses import dataclass, field

from django.db.models import Q

from northing.billing.models import Bill, BillLine
from northing.costing.models import Charge
from northing.customs.models import CustomsEntry, CustomsLine
from northing.inventory.models import StockCountLine, TransferLine
from northing.ledger.models import CostLayer
from northing.orders.models import OrderLine
from northing.payments.models import PaymentPart
from northing.receiving.models import ReceiptLine
from northing.shipping.models import Shipment, ShipmentLine

MOST_LINES = 120
OFFICES = (Charge.Kind.DUTY, Charge.Kind.IMPORT_TAX)


class TooMuch(Exception):
    """Why no file is made, in words."""


@dataclass
class Reach:
    """Ids of order lines, shipments, charges, and of the cost layers of goods received of these lines."""

    lines: set[int] = field(default_factory=set)
    shipments: set[int] = field(default_factory=set)
    charges: set[int] = field(default_factory=set)
    layers: set[int] = field(default_factory=set)


def reach_of(lines: set[int], companies: set[int]) -> Reach:
    """The lines, what travels with them, what is spread over it, and so on until nothing is added. Raises TooMuch."""
    if not OrderLine.objects.filter(pk__in=lines, order__sent_at__isnull=False).exists():
        raise TooMuch("The order was not sent yet, so nothing of it has a cost.")
    found, more = Reach(), set(lines)
    while more - found.lines:
        found.lines |= more
        if len(found.lines) > MOST_LINES:
            raise TooMuch(f"More than {MOST_LINES} order lines bear on this cost. Choose one with fewer beside it.")
        parts = ShipmentLine.objects.filter(instalment__line__in=found.lines, container__isnull=False)
        found.shipments |= set(parts.values_list("container__shipment", flat=True))
        emptied = ReceiptLine.objects.filter(instalment__line__in=found.lines, back__gt=0)
        found.shipments |= set(emptied.values_list("receipt__container__shipment", flat=True))
        over = Q(shipments__in=found.shipments) | Q(containers__shipment__in=found.shipments)
        over |= Q(shares__order_line__in=found.lines)
        found.charges |= set(Charge.objects.filter(over).exclude(kind__in=OFFICES).values_list("pk", flat=True))
        entered = CustomsEntry.objects.filter(lines__shipment_line__instalment__line__in=found.lines)
        found.shipments |= set(entered.filter(shipments__isnull=False).values_list("shipments", flat=True))
        boxes = Shipment.objects.filter(Q(charges__in=found.charges) | Q(containers__charges__in=found.charges))
        found.shipments |= set(boxes.values_list("pk", flat=True))
        aboard = ShipmentLine.objects.filter(container__shipment__in=found.shipments)
        more = set(aboard.values_list("instalment__line", flat=True))
        declared = CustomsLine.objects.filter(entry__in=entered.values("pk"))
        more |= set(declared.values_list("shipment_line__instalment__line", flat=True))
        more |= set(Charge.objects.filter(pk__in=found.charges, lines__isnull=False).values_list("lines", flat=True))
        more |= _billed_with(found)
    owners = set(OrderLine.objects.filter(pk__in=found.lines).values_list("order__company", flat=True))
    if owners - companies:
        what = "Goods of a company that you do not see bear a part of these costs."
        raise TooMuch(f"{what} Ask a person who sees both companies.")
    layers = CostLayer.objects.filter(shipment_line__instalment__line__in=found.lines)
    found.layers = set(layers.values_list("pk", flat=True))
    if TransferLine.objects.filter(layer__in=found.layers).exists():
        raise TooMuch("Some of these goods were sent to another site; a file of them does not tell of that.")
    if StockCountLine.objects.filter(layer__in=found.layers).exists():
        raise TooMuch("A count of stock took units of these goods; a file of them does not tell what else lay there.")
    return found


def _billed_with(found: Reach) -> set[int]:
    """Order lines (ids) on the same bills, and those of orders that were paid in advance; their charges are reached."""
    at = "lines__case__layer__shipment_line__instalment__line__in"
    bills = Bill.objects.filter(Q(lines__order_line__in=found.lines) | Q(**{at: found.lines}))
    lines = BillLine.objects.filter(bill__in=bills)
    found.charges |= set(lines.filter(charge__isnull=False).values_list("charge", flat=True))
    advanced = PaymentPart.objects.filter(order__lines__in=found.lines).values("order")
    together = set(OrderLine.objects.filter(order__in=advanced).values_list("pk", flat=True))
    of_cases = lines.filter(case__isnull=False).values_list("case__layer__shipment_line__instalment__line", flat=True)
    together |= set(of_cases)
    return together | set(lines.filter(order_line__isnull=False).values_list("order_line", flat=True))
