"""The statement of a party: what was billed, credited and paid, one after the other, with what is owed after each."""

from collections.abc import Iterable
from dataclasses import dataclass
from datetime import date
from decimal import Decimal

from django.db.models import Sum

from northing.billing.models import PAYABLES
from northing.ledger.models import Posting

ZERO = Decimal(0)


@dataclass(frozen=True)
class StatementRow:
    """A movement on what is owed to a party; amounts in one currency, owed is positive."""

    day: date
    text: str
    document: int | None
    amount: Decimal
    owed: Decimal


@dataclass(frozen=True)
class Statement:
    """What was owed before a period, its movements, and what is owed at its end."""

    before: Decimal
    rows: list[StatementRow]

    @property
    def after(self) -> Decimal:
        """What is owed at the end."""
        return self.rows[-1].owed if self.rows else self.before


# More movements than this are asked for by shorter periods.
MOST = 2_000


def statement(companies: Iterable[int], party: int, currency: str, first: date | None, through: date) -> Statement:
    """The statement of a party (id) in one currency, over companies (ids), by the day of posting."""
    accounts = [account.value for account in PAYABLES.values()]
    found = Posting.objects.filter(account__in=accounts, company__in=list(companies), party=party)
    found = found.filter(foreign_currency=currency, posted_on__lte=through)
    before = ZERO
    if first:
        before = -(found.filter(posted_on__lt=first).aggregate(t=Sum("foreign_amount"))["t"] or ZERO)
        found = found.filter(posted_on__gte=first)
    rows, owed = [], before
    for one in found.select_related("entry").order_by("posted_on", "entry", "pk")[:MOST]:
        owed -= one.foreign_amount
        rows.append(StatementRow(one.posted_on, one.entry.text, one.document, -one.foreign_amount, owed))
    return Statement(before, rows)
