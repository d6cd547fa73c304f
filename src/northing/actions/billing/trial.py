"""A supplier's bill tried and not saved: what it does line by line, to unit cost, and in the books."""

from collections.abc import Sequence
from dataclasses import dataclass, replace
from datetime import date
from decimal import Decimal

from django.db import transaction
from django.db.models import Sum

from northing.access.acts import Act
from northing.actions.billing.bills import Effect, book_bill, foresee
from northing.actions.billing.request import BillRequest
from northing.activity.operations import once
from northing.billing.models import Bill
from northing.ledger.models import Account, Posting


@dataclass(frozen=True)
class Trial:
    """The effect of a bill: what it is checked for, its postings by account in base currency, and its due day."""

    effect: Effect | None
    postings: Sequence[tuple[str, Decimal]]
    currency: str
    due_on: date | None


def try_bill(act: Act, request: BillRequest) -> Trial:
    """Book the bill, look, and let go of it all; questions count as answered. Raises Refused as booking would."""
    # A bill without a number yet can be tried as well; without the key: it is that of the bill.
    asked = replace(request, number=request.number.strip() or "…")
    effect = foresee(asked)
    return replace(_tried(act.inner(), replace(asked, accept=True)), effect=effect)


@once
def _tried(act: Act, request: BillRequest) -> Trial:
    with transaction.atomic():
        bill = Bill.objects.select_related("company", "entry").get(pk=book_bill(act, request))
        sums = Posting.objects.filter(entry=bill.entry, company=bill.company).values_list("account").order_by()
        totals = dict(sums.annotate(total=Sum("amount")))
        found = [(Account(name).label, totals[name]) for name in Account.values if totals.get(name)]
        transaction.set_rollback(True)
    return Trial(None, found, bill.company.currency, bill.due_on)
