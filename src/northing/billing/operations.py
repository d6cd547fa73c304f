"""Writes of bills and credit notes."""

from collections.abc import Iterable, Sequence

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


def mark_reversed(bill: Bill, entry: Entry) -> None:
    """A bill was undone; it stays a fact."""
    bill.reversed_by = entry
    bill.save(update_fields=["reversed_by"])
