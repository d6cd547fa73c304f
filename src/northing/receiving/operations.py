"""Writes of receipts."""

from collections.abc import Sequence

from northing.ledger.models import Entry
from northing.receiving.models import Receipt, ReceiptLine


def write_receipt(receipt: Receipt, lines: Sequence[ReceiptLine]) -> Receipt:
    """The receipt with its lines."""
    receipt.save()
    for line in lines:
        line.receipt = receipt
    ReceiptLine.objects.bulk_create(lines)
    return receipt


def mark_proof(receipt: Receipt, mark: str) -> None:
    """By this receipt alone it is known now that its shipment departed, or arrived."""
    setattr(receipt, mark, True)
    receipt.save(update_fields=[mark])


def mark_reversed(receipt: Receipt, entry: Entry) -> None:
    """The receipt was undone; it stays a fact."""
    receipt.reversed_by = entry
    receipt.save(update_fields=["reversed_by"])
