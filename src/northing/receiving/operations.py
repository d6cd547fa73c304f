"""Writes of receipts."""

from collections.abc import Sequence

from django.db import connection

from northing.ledger.models import Entry
from northing.masterdata.models import Company
from northing.receiving.models import Receipt, ReceiptLine


def write_receipt(receipt: Receipt, lines: Sequence[ReceiptLine]) -> Receipt:
    """The receipt with its lines."""
    receipt.save()
    for line in lines:
        line.receipt = receipt
    ReceiptLine.objects.bulk_create(lines)
    return receipt


# The company's row is locked from here on until the transaction ends.
NUMBER = f"""
with counted as (
  update {Company._meta.db_table} set last_receipt_number = last_receipt_number + 1
   where id = %s returning code, last_receipt_number as last
)
update {Receipt._meta.db_table} r
   set number = c.code || '-R' || lpad(c.last::text, greatest(5, length(c.last::text)), '0')
  from counted c where r.id = %s returning r.number
"""


def number_receipt(receipt: Receipt) -> str:
    """Give the receipt the next number of its company."""
    with connection.cursor() as cursor:
        cursor.execute(NUMBER, [receipt.company_id, receipt.pk])
        receipt.number = cursor.fetchone()[0]
    return receipt.number


def mark_proof(receipt: Receipt, mark: str) -> None:
    """By this receipt alone it is known now that its shipment departed, or arrived."""
    setattr(receipt, mark, True)
    receipt.save(update_fields=[mark])


def mark_reversed(receipt: Receipt, entry: Entry) -> None:
    """The receipt was undone; it stays a fact."""
    receipt.reversed_by = entry
    receipt.save(update_fields=["reversed_by"])
