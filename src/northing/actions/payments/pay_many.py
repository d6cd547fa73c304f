"""Pay many bills at once, less credit notes: one payment for each company, party and currency."""

from collections import defaultdict
from dataclasses import dataclass
from datetime import date
from decimal import Decimal

from django.db.models import F

from northing.access.acts import Act
from northing.actions.payments.ask import pay_or_ask
from northing.actions.payments.request import PartRequest, PayRequest
from northing.activity.operations import once
from northing.billing.models import Bill
from northing.core.problems import Problem, Refused
from northing.drawings.figures import money
from northing.masterdata.models import BankAccount
from northing.reports.open_bills import with_settlement

# More than this are paid in several goes.
MOST = 5_000


@dataclass(frozen=True)
class PayManyRequest:
    """Bills (ids) that are paid on a day with the discount that they take on it, and credit notes that are set off."""

    bills: tuple[int, ...]
    day: date
    take_discounts: bool = True


@once
def pay_many(act: Act, request: PayManyRequest) -> dict[str, list[int]]:
    """Pay what may be paid of each bill: all of them, or none.

    Returns the ids of the payments that were made, and of those that are asked for.
    """
    if not request.bills:
        raise Refused(Problem("No bill is chosen.", "bills", "Choose at least one."))
    if len(request.bills) > MOST:
        raise Refused(Problem(f"At most {MOST:,} bills are paid at once.", "bills", "Choose fewer."))
    bills = Bill.objects.filter(pk__any_of=list(request.bills)).select_related("company", "party__payment_terms")
    bills = bills.prefetch_related("instalments")
    # First of all: a refusal names bills, and only who may pay them learns of them.
    act.require("pay", *sorted({bill.company_id for bill in bills}))
    groups: dict[tuple[int, int, str], list[PartRequest]] = defaultdict(list)
    sums: dict[tuple[int, int, str], Decimal] = defaultdict(Decimal)
    problems = []
    parties: dict[int, str] = {}
    for one in with_settlement(list(bills.order_by("party", "pk")), request.day):
        bill, discount = one.bill, one.discount if request.take_discounts else 0
        if one.settlement.payable <= 0:
            why = one.settlement.why or "nothing of it is open"
            what = f"{bill} of {bill.party}: {why}."
            problems.append(Problem(what, "bills", "Leave it out.", record=("bill", bill.pk)))
            continue
        part = PartRequest(min(one.settlement.payable, one.due_now) - discount, bill=bill.pk, discount=discount)
        group = bill.company_id, bill.party_id, bill.currency
        groups[group].append(part)
        sums[group] += bill.sign * part.amount
        parties[bill.party_id] = str(bill.party)
    for (_, party, currency), total in sums.items():
        if total < 0:
            what = f"{currency} {money(-total, currency)} more is credited than is paid of {parties[party]}."
            problems.append(Problem(what, "bills", "Choose more bills, or take the money back from the credit note."))
    if problems:
        raise Refused(problems)
    accounts = _accounts({company for company, *_ in groups})
    done = [
        pay_or_ask(
            act.inner(),
            PayRequest(company, party, request.day, currency, tuple(parts), account=accounts.get(company)),
        )
        for (company, party, currency), parts in sorted(groups.items())
    ]
    return {
        "made": [one["payment"] for one in done if "payment" in one],
        "asked": [one["asked"] for one in done if "asked" in one],
    }


def _accounts(companies: set[int]) -> dict[int, int]:
    """The account that each company (id) pays from: its first by code."""
    found = BankAccount.objects.filter(company__in=companies, currency=F("company__currency")).order_by("-code")
    return dict(found.values_list("company", "pk"))
