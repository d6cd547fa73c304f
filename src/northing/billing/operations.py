"""Writes of bills and credit notes."""

from collections.abc import Iterable, Sequence
from datetime import date, datetime
from decimal import Decimal

from django.db.models import F
from django.db.models.functions import Coalesce

from northing.access.models import Person
from northing.billing.models import Bill, BilledGoods, BillInstalment, BillLine, BillLinePart, BillTax, KeptBill
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


def write_taxes(bill: Bill, taxes: Sequence[tuple[int | None, Decimal]]) -> None:
    """The tax lines of a bill: the code (id) and the amount of each."""
    BillTax.objects.bulk_create(BillTax(bill=bill, code_id=code, amount=amount) for code, amount in taxes if amount)


def write_instalments(bill: Bill, parts: Sequence[tuple[date, Decimal]]) -> None:
    """What of a bill is due on which day."""
    BillInstalment.objects.bulk_create(BillInstalment(bill=bill, due_on=day, amount=amount) for day, amount in parts)


def due_next(bill: Bill, day: date) -> None:
    """The day on which the next instalment of a bill is due."""
    Bill.objects.filter(pk=bill.pk).update(due_on=day)


def keep_bill(kept: KeptBill) -> KeptBill:
    """A bill that is known and not booked."""
    kept.save()
    return kept


def end_kept(bill: Bill) -> list[int]:
    """Kept bills of that company, party and number are booked with it. Returns their ids."""
    found = KeptBill.objects.filter(company=bill.company_id, party=bill.party_id, number_key=bill.number_key)
    found = found.filter(state__in=KeptBill.OPEN)
    keys = list(found.values_list("pk", flat=True))
    KeptBill.objects.filter(pk__in=keys).update(state=KeptBill.State.BOOKED, bill=bill)
    return keys


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


def end_disputes(order_line: int, amount: Decimal) -> Decimal:
    """A credit of so much ends disputes about an order line (id), the oldest first. Returns how much it ended."""
    left = amount
    for line in BillLine.objects.filter(order_line=order_line, disputed__gt=0, bill__reversed_by=None).order_by("pk"):
        part = min(left, line.disputed)
        BillLine.objects.filter(pk=line.pk).update(disputed=line.disputed - part)
        left -= part
    return amount - left


def keep_ended(lines: Iterable[BillLine]) -> None:
    """How much of disputes each line of a credit note ended."""
    BillLine.objects.bulk_update([line for line in lines if line.ended_dispute], ["ended_dispute"])


def dispute_again(bill: Bill) -> None:
    """What a credit note ended of disputes is in dispute again, on the last bill of the same goods."""
    of_case = F("case__layer__shipment_line__instalment__line")
    for line in bill.lines.filter(ended_dispute__gt=0).annotate(credits=Coalesce("order_line", of_case)):
        rows = BillLine.objects.filter(order_line=line.credits, bill__reversed_by=None, quantity__gt=0)
        last = rows.order_by("-pk").first()
        if last:
            BillLine.objects.filter(pk=last.pk).update(disputed=F("disputed") + line.ended_dispute)


def mark_reversed(bill: Bill, entry: Entry) -> None:
    """A bill was undone; it stays a fact."""
    bill.reversed_by = entry
    bill.save(update_fields=["reversed_by"])
