"""What a supplier may credit: claims that are open, and goods that were billed, those in dispute first."""

from collections.abc import Iterable
from dataclasses import dataclass
from decimal import Decimal

from django.db.models import F, Q, QuerySet, Sum

from northing.billing.models import Bill, BillLine
from northing.claims.models import Claim
from northing.core.money.money import rounded
from northing.costing.models import Charge
from northing.ledger.models import Account, OpenItem
from northing.orders.models import OrderLine, PurchaseOrder
from northing.payments.queries import open_advances
from northing.reports.tax_parts import tax_parts

ZERO = Decimal(0)
# More lines of a supplier than this are found from their own bill or order.
MOST = 200


@dataclass(frozen=True)
class Creditable:
    """An order line whose price, a case whose claim, or a charge that may be credited; amounts in its currency.

    `most` is what is billed of it, or claimed; `proposed` what is in dispute, or claimed.
    """

    most: Decimal
    proposed: Decimal
    line: OrderLine | None = None
    case: Claim | None = None
    charge: Charge | None = None

    @property
    def key(self) -> str:
        """Its name in a form."""
        if self.charge:
            return f"x{self.charge.pk}"
        return f"c{self.case.pk}" if self.case else f"l{self._line.pk}"

    @property
    def name(self) -> str:
        """Its name in words."""
        if self.charge:
            return f"{self.charge.kind} of {self.charge.bill_numbers}"
        return f"case {self.case.pk}" if self.case else f"{self._line.order.number}/{self._line.number}"

    @property
    def _line(self) -> OrderLine:
        assert self.line is not None
        return self.line


@dataclass(frozen=True)
class From:
    """Where one starts: a bill, an order, a return (ids), some cases or order lines, or all of a supplier's."""

    company: int
    supplier: int
    currency: str
    bill: int | None = None
    cases: tuple[int, ...] = ()
    order: int | None = None
    lines: tuple[int, ...] = ()


def creditable(start: From) -> list[Creditable]:
    """Claims first, then lines in dispute, then what else is billed, and charges of the same bills."""
    if start.cases:
        return _claims(start)
    lines = _lines(start)
    return [*_claims(start), *lines, *_charges(start)]


def _claims(start: From) -> list[Creditable]:
    at = "layer__shipment_line__instalment__line"
    found = Claim.objects.filter(company=start.company, supplier=start.supplier, withdrawn_at=None)
    found = found.filter(pk__in=start.cases) if start.cases else found
    found = found.filter(**{f"{at}__in": start.lines}) if start.lines else found
    owed = Sum("amounts__amount", filter=Q(amounts__party=start.supplier, amounts__currency=start.currency))
    rows = found.annotate(claimed=owed).filter(claimed__gt=0).order_by("pk")
    made = []
    for case in rows.select_related(f"{at}__order", "layer__item")[:MOST]:
        line = case.layer.shipment_line.instalment.line
        line.item = case.layer.item
        made.append(Creditable(case.claimed, case.claimed, line, case))
    return made


def _standing(start: From) -> QuerySet[BillLine]:
    """The lines of the supplier's bills that stand."""
    return BillLine.objects.filter(
        bill__company=start.company,
        bill__party=start.supplier,
        bill__currency=start.currency,
        bill__reversed_by=None,
        bill__kind=Bill.Kind.BILL,
    )


def _lines(start: From) -> list[Creditable]:
    lines = _standing(start).filter(_where(start), order_line__isnull=False).values_list("order_line").order_by()
    sums = {line: (billed, disputed) for line, billed, disputed in lines.annotate(a=Sum("amount"), d=Sum("disputed"))}
    keys = sorted(sums, key=lambda key: (-sums[key][1], -key))[:MOST]
    found = OrderLine.objects.select_related("order", "item").in_bulk(keys)
    return [Creditable(*sums[key], found[key]) for key in keys]


def _charges(start: From) -> list[Creditable]:
    """Charges on the same bills: freight that is credited in part, say."""
    bills = _standing(start).filter(_where(start)).values("bill")
    found = Charge.objects.filter(bill_lines__bill__in=bills, billed__gt=0, company=start.company).distinct()
    found = found.filter(payee=start.supplier, currency=start.currency).prefetch_related("bill_lines__bill")
    return [Creditable(one.billed or ZERO, ZERO, charge=one) for one in found.order_by("pk")[:MOST]]


def _where(start: From) -> Q:
    if start.bill:
        return Q(bill=start.bill)
    if start.lines:
        return Q(order_line__in=start.lines)
    return Q(order_line__order=start.order) if start.order else Q()


def proposed_tax(start: From, lines: Iterable[Creditable]) -> Decimal:
    """The tax of what is proposed: in the part that the last bill of each line bore, rounded once in all."""
    amounts: dict[int, Decimal] = {}
    for one in lines:
        if one.line and one.proposed:
            amounts[one.line.pk] = amounts.get(one.line.pk, ZERO) + one.proposed
    parts = tax_parts(amounts)
    exact = sum((amount * parts.get(line, ZERO) for line, amount in amounts.items()), ZERO)
    return rounded(exact, start.currency)


def credits_open(company: int, party: int, currency: str) -> list[Bill]:
    """Credit notes of a party of which something is open, the oldest first; `left` is how much."""
    found = Bill.objects.filter(
        kind=Bill.Kind.CREDIT, company=company, party=party, currency=currency, reversed_by=None
    )
    stands = Q(payment_parts__payment__reversed_by=None)
    found = found.annotate(used=Sum("payment_parts__amount", filter=stands, default=ZERO))
    return list(found.annotate(left=F("total") - F("used")).filter(left__gt=0).order_by("day", "pk"))


def advances_open(company: int, party: int, currency: str) -> list[PurchaseOrder]:
    """Orders of a supplier with an advance that is open; `left` is how much."""
    items = OpenItem.objects.filter(account=Account.ADVANCES, company=company, party=party, currency=currency)
    left = open_advances(items.exclude(amount=0).values_list("document", flat=True))
    found = PurchaseOrder.objects.filter(pk__in=left).select_related("company", "supplier").order_by("pk")
    orders = [order for order in found if left[order.pk].amount > 0]
    for order in orders:
        order.left = left[order.pk].amount
    return orders
