"""What is due by day against a bank balance, and what will come after it: goods that are ours and not billed."""

from collections import defaultdict
from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from datetime import date
from decimal import Decimal

from django.db.models import Sum

from northing.billing.models import PAYABLES, Bill
from northing.ledger.models import Account, DocumentKind, OpenItem
from northing.masterdata.models import Company

ZERO = Decimal(0)


@dataclass(frozen=True)
class Due:
    """What a company owes by day, in base currency; and what is ours and not billed yet."""

    company: Company
    days: Sequence[tuple[date, Decimal]]
    not_billed: Decimal
    # What is due by today, by the day that is asked for, and what a bank balance has left after that.
    by_today: Decimal
    by_day: Decimal
    left: Decimal | None


def due_days(
    companies: Iterable[int], today: date, by: date | None = None, balance: Decimal | None = None
) -> list[Due]:
    """By company that owes something, what is due on which day; an instalment of a bill counts on its own day."""
    keys = list(companies)
    items = OpenItem.objects.filter(company__in=keys).exclude(base=0)
    owed = items.filter(account__in=[account.value for account in PAYABLES.values()], document_kind=DocumentKind.BILL)
    sums = {"left": -Sum("amount"), "in_base": -Sum("base")}
    rows = list(owed.values_list("company", "document").order_by().annotate(**sums))
    bills = Bill.objects.filter(pk__any_of=[document for _, document, *_ in rows])
    bills = bills.select_related("company").prefetch_related("instalments").in_bulk()
    days: dict[int, dict[date, Decimal]] = defaultdict(lambda: defaultdict(Decimal))
    for company, document, left, base in rows:
        for day, share in bills[document].due_shares(left, base):
            days[company][day] += share
    waits = dict(
        items.filter(account=Account.OWNED_NOT_BILLED).values_list("company").order_by().annotate(base=-Sum("base"))
    )
    found = Company.objects.filter(pk__in={*days, *waits}).order_by("code")
    return [_due(one, sorted(days[one.pk].items()), waits.get(one.pk, ZERO), today, by, balance) for one in found]


def _due(
    company: Company,
    days: Sequence[tuple[date, Decimal]],
    not_billed: Decimal,
    today: date,
    by: date | None,
    balance: Decimal | None,
) -> Due:
    by_today, by_day = (sum((amount for due, amount in days if due <= day), ZERO) for day in (today, by or today))
    return Due(company, days, not_billed, by_today, by_day, None if balance is None else balance - by_day)
