"""Bills and credit notes that are open: what may be paid of each, why not, and the discount on a day."""

from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from datetime import date
from decimal import Decimal

from django.db.models import Q, QuerySet
from django.db.models.functions import Coalesce

from northing.billing.models import PAYABLES, Bill
from northing.core.billing.terms import Discount, discount_on
from northing.core.money.money import rounded
from northing.ledger.models import DocumentKind, OpenItem
from northing.masterdata.models import PaymentTerms
from northing.reports.settlement import Settlement, settlements

ZERO = Decimal(0)


@dataclass(frozen=True)
class OpenBill:
    """A bill or credit note with how far it is settled, and the discount it takes on a day, until when."""

    bill: Bill
    settlement: Settlement
    discount: Decimal
    until: date | None
    # It was to be paid before the day.
    late: bool = False
    # What of it is due by the day, or with the next instalment.
    due_now: Decimal = ZERO

    @property
    def due(self) -> date:
        """The day it is due: by its terms, else its own day."""
        return self.bill.due_on or self.bill.day

    @property
    def to_pay(self) -> Decimal:
        """What is paid of it on that day; below 0 what a credit note takes off."""
        return self.bill.sign * (min(self.settlement.payable, self.due_now) - self.discount)


def open_bills(companies: Iterable[int], due_by: date | None = None) -> QuerySet[Bill]:
    """Bills and credit notes of which something is open, by their due day; those of them due by a day."""
    items = _items(companies)
    found = Bill.objects.filter(pk__in=items.values("document"), reversed_by=None)
    found = found.annotate(due=Coalesce("due_on", "day")).select_related("company", "party__payment_terms")
    found = found.prefetch_related("instalments")
    if due_by:
        found = found.filter(due__lte=due_by)
    return found.order_by("due", "pk")


def _items(companies: Iterable[int]) -> QuerySet[OpenItem]:
    """What is open of bills and credit notes."""
    accounts = [account.value for account in PAYABLES.values()]
    of = {"account__in": accounts, "document_kind": DocumentKind.BILL, "company__in": list(companies)}
    return OpenItem.objects.filter(~Q(amount=0), **of)


def owed_parties(companies: Iterable[int]) -> QuerySet[OpenItem]:
    """The parties (ids) of whom a bill or a credit note is open, as a subquery."""
    return _items(companies).order_by().values("party").distinct()


def with_settlement(bills: Sequence[Bill], day: date) -> list[OpenBill]:
    """The bills as a payment on a day finds them."""
    known = settlements(bills)
    return [_open_bill(bill, known[bill.pk], day) for bill in bills]


def _open_bill(bill: Bill, settlement: Settlement, day: date) -> OpenBill:
    terms = bill.party.payment_terms
    late = bill.kind == Bill.Kind.BILL and (bill.due_on or bill.day) < day
    due_now = _due_now(bill, settlement.left, day)
    if terms is None or settlement.paid or bill.kind == Bill.Kind.CREDIT or terms.instalments:
        return OpenBill(bill, settlement, ZERO, None, late, due_now)
    percent, until = discount_on(bill.day, day, discounts_of(terms))
    return OpenBill(bill, settlement, rounded(settlement.payable * percent / 100, bill.currency), until, late, due_now)


def _due_now(bill: Bill, left: Decimal, day: date) -> Decimal:
    """What of `left` is due by a day; where nothing is, what is due next."""
    parts = bill.due_shares(left)
    return sum((part for due, part in parts if due <= day), ZERO) or parts[0][1]


def discounts_of(terms: PaymentTerms) -> list[Discount]:
    """The discounts of terms, as the core reads them; the terms keep them as fractions of 1."""
    return [
        Discount(terms.discount * 100, terms.discount_days),
        Discount(terms.second_discount * 100, terms.second_discount_days),
    ]
