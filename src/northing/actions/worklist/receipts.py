"""Open matters of receipts: goods from abroad that came unpacked and are on no customs entry."""

from collections.abc import Iterable
from decimal import Decimal

from northing.core.worklist.moves import US, Move
from northing.customs.queries import undeclared_from_abroad
from northing.receiving.models import Receipt, ReceiptLine
from northing.shipping.models import ShipmentLine
from northing.worklist.operations import MatterDraft, write_matters

TO_DECLARE = "came unpacked from abroad: declare it"
# The seller clears what it delivers duty paid.
BY_THE_SELLER = "DDP"


def refresh_receipts(receipts: Iterable[int]) -> None:
    """Receipts (ids): ours until a customs entry declares what came unpacked."""
    found = Receipt.objects.filter(pk__in=list(receipts), container=None).order_by("pk")
    parts = undeclared_from_abroad().filter(container=None, receipt_lines__receipt__in=found)
    parts = parts.exclude(instalment__line__order__incoterm=BY_THE_SELLER)
    waits = set(parts.order_by().values_list("receipt_lines__receipt", flat=True))
    drafts = []
    for receipt in found:
        open_still = receipt.pk in waits and receipt.reversed_by_id is None
        move = Move(US, TO_DECLARE, receipt.occurred_on) if open_still else None
        drafts.append(MatterDraft("receipt", receipt.pk, receipt.company_id, move, Decimal(0)))
    write_matters(drafts)


def receipts_of(parts: Iterable[ShipmentLine]) -> list[int]:
    """The receipts (ids) of what of the goods came unpacked."""
    unpacked = [part.pk for part in parts if not part.container_id]
    if not unpacked:
        return []
    came = ReceiptLine.objects.filter(shipment_line__in=unpacked).order_by("receipt")
    return list(came.values_list("receipt", flat=True).distinct())
