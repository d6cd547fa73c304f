"""Bills that are open: what may be paid of each, why not, and the discount that a payment on a day takes."""

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
    """A bill with how far it is settled, and the discount it takes on a day, until when."""

    bill: Bill
    settlement: Settlement
    discount: Decimal
    until: date | None

    @property
    def due(self) -> date:
        """The day it is due: by its terms, else its own day."""
        return self.bill.due_on or self.bill.day

    @property
    def to_pay(self) -> Decimal:
        """What is paid of it on that day."""
        return self.settlement.payable - self.discount


def open_bills(companies: Iterable[int], due_by: date | None = None) -> QuerySet[Bill]:
    """Bills of which something is owed, by their due day; those of them due by a day."""
    accounts = [account.value for account in PAYABLES.values()]
    items = OpenItem.objects.filter(
        ~Q(amount=0), account__in=accounts, document_kind=DocumentKind.BILL, company__in=list(companies)
    )
    found = Bill.objects.filter(pk__in=items.values("document"), kind=Bill.Kind.BILL, reversed_by=None)
    found = found.annotate(due=Coalesce("due_on", "day")).select_related("company", "party__payment_terms")
    if due_by:
        found = found.filter(due__lte=due_by)
    return found.order_by("due", "pk")


def with_settlement(bills: Sequence[Bill], day: date) -> list[OpenBill]:
    """The bills as a payment on a day finds them."""
    known = settlements(bills)
    return [_open_bill(bill, known[bill.pk], day) for bill in bills]


def _open_bill(bill: Bill, settlement: Settlement, day: date) -> OpenBill:
    terms = bill.party.payment_terms
    if terms is None or settlement.paid:
        return OpenBill(bill, settlement, ZERO, None)
    percent, until = discount_on(bill.day, day, discounts_of(terms))
    return OpenBill(bill, settlement, rounded(settlement.payable * percent / 100, bill.currency), until)


def discounts_of(terms: PaymentTerms) -> list[Discount]:
    """The discounts of terms, as the core reads them; the terms keep them as fractions of 1."""
    return [
        Discount(terms.discount * 100, terms.discount_days),
        Discount(terms.second_discount * 100, terms.second_discount_days),
    ]
