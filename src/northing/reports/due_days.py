"""What is due by day against a bank balance, and what will come after it: goods that are ours and not billed."""

from collections import defaultdict
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from datetime import date
from decimal import Decimal

from django.db import connection
from django.db.models import Sum

from northing.billing.models import PAYABLES, Bill, BillInstalment
from northing.ledger.models import Account, DocumentKind, OpenItem
from northing.masterdata.models import Company

ZERO = Decimal(0)
PAYABLE = [account.value for account in PAYABLES.values()]
# A bill without instalments is due as a whole: the database adds those up.
WHOLE = """
select i.company_id, coalesce(b.due_on, b.day), -sum(i.base)
  from ledger_openitem i join billing_bill b on b.id = i.document
 where i.account = any(%s) and i.document_kind = %s and i.company_id = any(%s) and (i.amount <> 0 or i.base <> 0)
   and not exists (select 1 from billing_billinstalment p where p.bill_id = b.id)
 group by 1, 2
"""
Days = dict[date, Decimal]


@dataclass(frozen=True)
class Due:
    """What a company owes by day, in base currency; and what is ours and not billed yet.

    `left` is what a bank balance has left after what is due by the day that is asked for.
    """

    company: Company
    days: Sequence[tuple[date, Decimal]]
    not_billed: Decimal
    by_today: Decimal
    by_day: Decimal
    left: Decimal | None


def owed_by_day(companies: Iterable[int]) -> dict[int, Days]:
    """By company (id), what is owed on which day, in base currency; an instalment of a bill counts on its own day."""
    keys = list(companies)
    found: dict[int, Days] = defaultdict(lambda: defaultdict(Decimal))
    with connection.cursor() as cursor:
        cursor.execute(WHOLE, [PAYABLE, DocumentKind.BILL.value, keys])
        for company, day, base in cursor.fetchall():
            found[company][day] += base
    items = OpenItem.objects.filter(account__in=PAYABLE, document_kind=DocumentKind.BILL, company__in=keys)
    items = items.filter(document__in=BillInstalment.objects.values("bill")).exclude(amount=0, base=0)
    rows = list(items.values_list("company", "document", "amount", "base"))
    bills = Bill.objects.filter(pk__any_of=[document for _, document, *_ in rows])
    bills = bills.select_related("company").prefetch_related("instalments").in_bulk()
    for company, document, amount, base in rows:
        for day, share in bills[document].due_shares(-amount, -base):
            found[company][day] += share
    return found


def due_days(
    owed: Mapping[int, Days],
    companies: Iterable[int],
    today: date,
    by: date | None = None,
    balance: Decimal | None = None,
) -> list[Due]:
    """What each company owes by day (`owed_by_day`); of those that owe something, or have goods that are not billed."""
    keys = list(companies)
    days = {key: owed.get(key, {}) for key in keys}
    waits = OpenItem.objects.filter(company__in=keys, account=Account.OWNED_NOT_BILLED)
    not_billed = dict(waits.exclude(base=0).values_list("company").order_by().annotate(base=-Sum("base")))
    found = []
    owing = {key for key in keys if days[key]}
    for company in Company.objects.filter(pk__in=owing | set(not_billed)).order_by("code"):
        own = sorted(days[company.pk].items())
        by_today, by_day = (sum((amount for due, amount in own if due <= day), ZERO) for day in (today, by or today))
        left = None if balance is None else balance - by_day
        found.append(Due(company, own, not_billed.get(company.pk, ZERO), by_today, by_day, left))
    return found
