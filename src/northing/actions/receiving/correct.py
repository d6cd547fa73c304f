"""Correct a quantity of a receipt in one act: it is reversed, and all of it is received again under the same note."""

from dataclasses import dataclass
from decimal import Decimal

from northing.access.acts import Act
from northing.actions.receiving.receive import Papers, Reason, ReceiveRequest, ReceiveRow, take_in
from northing.actions.receiving.reverse import reverse_receipt
from northing.actions.reversal import ReverseRequest
from northing.activity.operations import once
from northing.core.money.exact import plain
from northing.core.problems import Problem, Refused
from northing.inventory.models import SerialNumber
from northing.masterdata.models import Site
from northing.receiving.models import ReceiptLine


@dataclass(frozen=True)
class CorrectRequest:
    """A line of a receipt (id), what was found of it, and why; `still_coming` says it of what is short by that."""

    line: int
    quantity: Decimal
    reason: str
    still_coming: bool = True
    serials: tuple[str, ...] = ()


@once
def correct_receipt(act: Act, request: CorrectRequest) -> int:
    """Reverse the receipt and receive it again with that quantity. Returns the new receipt's id.

    Refused while later facts stand on the receipt, as its reversal is.
    """
    wrong = ReceiptLine.objects.select_related("receipt__site__company", "item").get(pk=request.line)
    receipt = wrong.receipt
    if receipt.ties_id:
        raise Refused(Problem("These goods were tied to an order.", mend="Reverse that, and tie them anew."))
    lines = list(receipt.lines.select_related("item").order_by("pk"))
    rows = tuple(_row(line, wrong, request) for line in lines)
    supplier = next((line.supplier_id for line in lines if line.why), None)
    reverse_receipt(act.inner(), ReverseRequest(receipt.pk, request.reason))
    what = f"{plain(wrong.quantity)} to {plain(request.quantity)} {wrong.item.unit} of {wrong.item.code}"
    again = ReceiveRequest(
        receipt.container_id,
        receipt.site_id,
        receipt.delivery_note,
        receipt.occurred_on,
        tuple(row for row in rows if row.item is None or row.quantity > 0),
        accept=True,
        supplier=supplier,
        reason=receipt.remark or request.reason,
        papers=Papers(receipt.supplier_bill, receipt.haulier, receipt.vehicle, receipt.seal),
    )
    site = Site.objects.select_related("company").get(pk=receipt.site_id)
    words = f"Corrected {receipt}, {what}: {request.reason.strip()}"
    return take_in(act, again, site, Reason("correct_receipt", words)).pk


def _row(line: ReceiptLine, wrong: ReceiptLine, request: CorrectRequest) -> ReceiveRow:
    """The row as it was counted, or (of the wrong line) as it is said now; the rest is said of all rows of its part."""
    corrected = line.pk == wrong.pk
    of_part = not line.why and line.instalment_id == wrong.instalment_id
    gone = bool(line.missing or line.dropped or line.asked)
    serials = SerialNumber.objects.filter(layer__receipt_line=line).order_by("number").values_list("number", flat=True)
    packed = line.receipt.container_id is not None
    common = {
        "lot": line.lot,
        "best_before": line.best_before,
        "bin": line.bin_id,
        "sscc": line.sscc,
        "condition": line.condition,
        "serials": request.serials if corrected and request.serials else tuple(serials),
    }
    quantity = request.quantity if corrected else line.quantity
    if line.why:
        return ReceiveRow(None, quantity, item=line.item_id, stands_for=line.stands_for_id, **common)
    return ReceiveRow(
        line.shipment_line_id if packed else None,
        quantity,
        still_coming=request.still_coming if of_part else not gone,
        not_there=bool(line.back),
        in_dispute=bool(line.missing) and not packed and not of_part,
        instalment=None if packed else line.instalment_id,
        **common,
    )
