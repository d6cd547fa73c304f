"""Open matters of bills: those that wait for approval, and those of which an amount is in dispute."""

from collections.abc import Iterable
from decimal import Decimal

from django.db.models import Sum

from northing.billing.models import Bill
from northing.core.money.money import converted
from northing.core.worklist import moves
from northing.worklist.operations import MatterDraft, write_matters

ZERO = Decimal(0)


def refresh_bills(bills: Iterable[int]) -> None:
    """Bills (ids): accounts' move until a second person approves them, the supplier's while an amount is disputed."""
    found = Bill.objects.filter(pk__in=list(bills)).select_related("company")
    drafts = []
    for bill in found.annotate(disputed=Sum("lines__disputed")):
        move, at_stake = _move(bill, bill.disputed or ZERO)
        drafts.append(
            MatterDraft(
                kind="bill",
                record=bill.pk,
                company=bill.company_id,
                move=move,
                at_stake=converted(at_stake, bill.rate, bill.company.currency),
            )
        )
    write_matters(drafts)


def _move(bill: Bill, disputed: Decimal) -> tuple[moves.Move | None, Decimal]:
    if bill.reversed_by_id:
        return None, ZERO
    if bill.needs_approval and not bill.approved_by_id:
        why = f"waits for approval: {bill.approval_why}" if bill.approval_why else "waits for approval"
        return moves.Move(moves.ACCOUNTS, why, bill.day, bill.due_on), bill.total
    if disputed:
        return moves.Move(moves.SUPPLIER, "billed above the agreed price, in dispute", bill.day, bill.due_on), disputed
    return None, ZERO
