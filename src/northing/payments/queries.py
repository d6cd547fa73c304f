"""Reads of advances: what is open of an order's, and what goods have reserved."""

from collections.abc import Iterable
from dataclasses import dataclass
from decimal import Decimal

from django.db.models import Q, Sum

from northing.billing.models import BillLinePart
from northing.ledger.models import Account, DocumentKind, OpenItem
from northing.payments.models import Reserve, ReserveUse

ZERO = Decimal(0)


@dataclass(frozen=True)
class Advance:
    """An advance that is open: in the order's currency, and in base."""

    amount: Decimal = ZERO
    base: Decimal = ZERO


def paid_in_advance(orders: Iterable[int]) -> dict[int, Advance]:
    """By order (id), what was paid in advance and is not set off yet; orders without any are left out."""
    rows = OpenItem.objects.filter(
        ~Q(amount=0) | ~Q(base=0),
        account=Account.ADVANCES,
        document_kind=DocumentKind.ORDER,
        document__any_of=list(orders),
    )
    sums = rows.values_list("document").order_by().annotate(a=Sum("amount"), b=Sum("base"))
    return {order: Advance(amount, base) for order, amount, base in sums}


def open_advances(orders: Iterable[int]) -> dict[int, Advance]:
    """By order (id), what was paid in advance, less what goods reserved; orders without any are left out."""
    paid = paid_in_advance(orders)
    if not paid:
        return {}
    kept = Reserve.objects.filter(order__in=paid).values_list("order").order_by()
    used = ReserveUse.objects.filter(reserve__order__in=paid).values_list("reserve__order").order_by()
    for sign, rows in ((-1, kept), (1, used)):
        for order, amount, base in rows.annotate(a=Sum("amount"), b=Sum("base")):
            left = paid[order]
            paid[order] = Advance(left.amount + sign * amount, left.base + sign * base)
    return {order: left for order, left in paid.items() if left.amount or left.base}


@dataclass(frozen=True)
class Reserved:
    """A reserve with what of it was used; units, in the order's currency, in base."""

    reserve: Reserve
    units: Decimal
    amount: Decimal
    base: Decimal

    @property
    def left(self) -> Decimal:
        """Units that it still stands for."""
        return self.reserve.units - self.units


def reserves_of(kind: str, documents: Iterable[int]) -> list[Reserved]:
    """The reserves of goods by the kind of their document and its ids, the oldest first."""
    rows = Reserve.objects.filter(**{f"{kind}__any_of": list(documents)}).order_by("pk")
    rows = rows.select_related("order__company").annotate(
        u=Sum("uses__units"), a=Sum("uses__amount"), b=Sum("uses__base")
    )
    found = [Reserved(one, one.u or ZERO, one.a or ZERO, one.b or ZERO) for one in rows]
    return [one for one in found if one.left > 0]


@dataclass(frozen=True)
class DueBetween:
    """A company's part of a bill (id) that it owes the company that was billed; ids of companies.

    `amount` is what the first of two companies owes, below 0 what it is owed; `debt` is what the debtor owes, below 0
    where a credit note turned that round. The bases are what stands in the books of debtor and creditor.
    """

    part: int
    debtor: int
    creditor: int
    amount: Decimal
    debtor_base: Decimal
    creditor_base: Decimal
    debt: Decimal


def due_between(first: int, second: int, currency: str) -> list[DueBetween]:
    """What two companies (ids) owe each other in a currency, the oldest first."""
    items = OpenItem.objects.filter(company__in=(first, second), currency=currency).exclude(amount=0, base=0)
    owed = {one.document: one for one in items.filter(account=Account.DUE_TO)}
    due = {one.document: one for one in items.filter(account=Account.DUE_FROM)}
    parts = BillLinePart.objects.filter(pk__in=owed.keys() & due.keys(), company__in=(first, second))
    found = []
    for part in parts.filter(line__bill__company__in=(first, second)).select_related("line__bill").order_by("pk"):
        debt, credit = owed[part.pk], due[part.pk]
        mine = 1 if part.company_id == first else -1
        found.append(
            DueBetween(
                part.pk,
                part.company_id,
                part.line.bill.company_id,
                mine * -debt.amount,
                -debt.base,
                credit.base,
                -debt.amount,
            )
        )
    return found


def owing_pairs(companies: Iterable[int]) -> list[tuple[int, int, str]]:
    """Two companies (ids, the lower first) and a currency in which something is open between them."""
    mine = list(companies)
    items = OpenItem.objects.filter(account=Account.DUE_TO, company__in=mine).exclude(amount=0)
    parts = BillLinePart.objects.filter(pk__in=items.values("document"), line__bill__company__in=mine)
    rows = parts.values_list("company", "line__bill__company", "line__bill__currency").distinct()
    return sorted({(min(one, other), max(one, other), currency) for one, other, currency in rows})
