"""What a supplier may credit: claims that are open, and goods that were billed, those in dispute first."""

from dataclasses import dataclass
from decimal import Decimal

from django.db.models import F, Q, Sum

from northing.billing.models import Bill, BillLine
from northing.claims.models import Claim
from northing.ledger.models import Account, OpenItem
from northing.orders.models import OrderLine, PurchaseOrder
from northing.payments.queries import open_advances

ZERO = Decimal(0)
# More lines of a supplier than this are found from their own bill or order.
MOST = 200


@dataclass(frozen=True)
class Creditable:
    """An order line whose price, or a case whose claim, may be credited; amounts in the order's currency.

    `most` is what is billed of the line, or claimed; `proposed` what is in dispute, or claimed.
    """

    line: OrderLine
    case: Claim | None
    most: Decimal
    proposed: Decimal

    @property
    def key(self) -> str:
        """Its name in a form."""
        return f"c{self.case.pk}" if self.case else f"l{self.line.pk}"


@dataclass(frozen=True)
class From:
    """Where one starts: a bill, a case, an order (ids), or all of a supplier's."""

    company: int
    supplier: int
    currency: str
    bill: int | None = None
    case: int | None = None
    order: int | None = None


def creditable(start: From) -> list[Creditable]:
    """Claims first, then lines in dispute, then what else is billed."""
    return [*_claims(start), *_lines(start)]


def _claims(start: From) -> list[Creditable]:
    found = Claim.objects.filter(company=start.company, supplier=start.supplier, withdrawn_at=None)
    found = found.filter(pk=start.case) if start.case else found
    found = found.filter(layer__shipment_line__instalment__line__order__currency=start.currency)
    rows = found.annotate(claimed=Sum("amounts__amount")).filter(claimed__gt=0).order_by("pk")
    rows = rows.select_related("layer__shipment_line__instalment__line__order", "layer__item")
    made = []
    for case in rows[:MOST]:
        line = case.layer.shipment_line.instalment.line
        line.item = case.layer.item
        made.append(Creditable(line, case, case.claimed, case.claimed))
    return made


def _lines(start: From) -> list[Creditable]:
    if start.case:
        return []
    lines = BillLine.objects.filter(
        bill__company=start.company,
        bill__party=start.supplier,
        bill__currency=start.currency,
        bill__reversed_by=None,
        bill__kind=Bill.Kind.BILL,
        order_line__isnull=False,
    )
    lines = lines.filter(_where(start)).values_list("order_line").order_by()
    sums = {line: (billed, disputed) for line, billed, disputed in lines.annotate(a=Sum("amount"), d=Sum("disputed"))}
    keys = sorted(sums, key=lambda key: (-sums[key][1], -key))[:MOST]
    found = OrderLine.objects.select_related("order", "item").in_bulk(keys)
    return [Creditable(found[key], None, sums[key][0], sums[key][1]) for key in keys]


def _where(start: From) -> Q:
    if start.bill:
        return Q(bill=start.bill)
    return Q(order_line__order=start.order) if start.order else Q()


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
