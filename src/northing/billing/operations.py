"""Writes of bills and credit notes."""

from collections.abc import Iterable, Sequence
from datetime import datetime

from northing.access.models import Person
from northing.billing.models import Bill, BilledGoods, BillLine, BillLinePart
from northing.ledger.models import Entry


def write_bill(bill: Bill, lines: Sequence[tuple[BillLine, Sequence[BillLinePart]]]) -> Bill:
    """A bill with its lines, and each company's part of them."""
    bill.save()
    for line, _ in lines:
        line.bill = bill
    BillLine.objects.bulk_create(line for line, _ in lines)
    for line, parts in lines:
        for part in parts:
            part.line = line
    BillLinePart.objects.bulk_create(part for _, parts in lines for part in parts)
    return bill


def write_goods(goods: Iterable[BilledGoods]) -> None:
    """Units of bills' lines that are ours."""
    BilledGoods.objects.bulk_create(goods)


def approve(bill: Bill, person: Person, at: datetime) -> None:
    """A bill may be paid, a second person says."""
    bill.approved_by, bill.approved_at = person, at
    bill.save(update_fields=["approved_by", "approved_at"])


def block(bill: Bill, reason: str) -> None:
    """A bill is not paid for now; without a reason it may be."""
    bill.blocked = reason
    bill.save(update_fields=["blocked"])


def settle_dispute(bill: Bill) -> None:
    """Nothing of a bill is in dispute any more."""
    bill.lines.update(disputed=0)


def mark_reversed(bill: Bill, entry: Entry) -> None:
    """A bill was undone; it stays a fact."""
    bill.reversed_by = entry
    bill.save(update_fields=["reversed_by"])
