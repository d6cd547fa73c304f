"""Open matters of receipts: goods from abroad that came unpacked and are on no customs entry."""

from collections.abc import Iterable
from decimal import Decimal

from northing.core.worklist.moves import US, Move
from northing.customs.queries import is_declared
from northing.receiving.models import Receipt, ReceiptLine
from northing.shipping.models import ShipmentLine
from northing.worklist.operations import MatterDraft, write_matters

TO_DECLARE = "came unpacked from abroad: declare it"
# The seller clears what it delivers duty paid.
BY_THE_SELLER = "DDP"


def refresh_receipts(receipts: Iterable[int]) -> None:
    """Receipts (ids): ours until a customs entry declares what came unpacked."""
    found = Receipt.objects.filter(pk__in=list(receipts), container=None).select_related("company").order_by("pk")
    waits = _undeclared([receipt for receipt in found if receipt.reversed_by_id is None])
    drafts = []
    for receipt in found:
        move = Move(US, TO_DECLARE, receipt.occurred_on) if receipt.pk in waits else None
        drafts.append(MatterDraft("receipt", receipt.pk, receipt.company_id, move, Decimal(0)))
    write_matters(drafts)


def receipts_of(parts: Iterable[ShipmentLine]) -> list[int]:
    """The receipts (ids) of what of the goods came unpacked."""
    unpacked = [part.pk for part in parts if not part.container_id]
    if not unpacked:
        return []
    came = ReceiptLine.objects.filter(shipment_line__in=unpacked).order_by("receipt")
    return list(came.values_list("receipt", flat=True).distinct())


def _undeclared(receipts: list[Receipt]) -> set[int]:
    home = {receipt.pk: receipt.company.country for receipt in receipts}
    parts = ShipmentLine.objects.filter(~is_declared(), container=None, quantity__gt=0, receipt_lines__receipt__in=home)
    parts = parts.exclude(instalment__line__order__incoterm=BY_THE_SELLER)
    rows = parts.values_list("receipt_lines__receipt", "instalment__line__order__supplier__country").order_by()
    return {receipt for receipt, country in rows if receipt in home and country != home[receipt]}
