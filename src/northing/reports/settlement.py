"""How far bills are settled: what was set off, paid, taken as discount, is in dispute, and is open."""

from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from decimal import Decimal

from django.db.models import Sum

from northing.billing.models import Bill, BillLine
from northing.payments.models import PaymentPart

ZERO = Decimal(0)


@dataclass(frozen=True)
class Settlement:
    """Amounts of one bill in its currency; they add up to its total. `why` says why it is not paid."""

    advance: Decimal
    paid: Decimal
    discount: Decimal
    disputed: Decimal
    open: Decimal
    why: str = ""

    @property
    def parts(self) -> list[tuple[str, Decimal]]:
        """The amounts by name, in the order in which they are drawn."""
        return [(name, getattr(self, name)) for name in ("advance", "paid", "discount", "disputed", "open")]

    @property
    def payable(self) -> Decimal:
        """What may be paid of it now."""
        return ZERO if self.why else self.open

    @property
    def received(self) -> Decimal:
        """What its party has of it: paid in advance, paid, and taken as discount."""
        return self.advance + self.paid + self.discount

    @property
    def left(self) -> Decimal:
        """What is owed by it, in dispute or not."""
        return self.open + self.disputed


def settlements(bills: Sequence[Bill]) -> dict[int, Settlement]:
    """By bill (id), how far it is settled; two queries for any number of bills."""
    keys = [bill.pk for bill in bills]
    paid, disputed = _paid(keys), _disputed(keys)
    found = {}
    for bill in bills:
        amount, discount = paid.get(bill.pk, (ZERO, ZERO))
        left = ZERO if bill.reversed_by_id else bill.owed - amount - discount
        held = min(disputed.get(bill.pk, ZERO), left)
        found[bill.pk] = Settlement(bill.advance, amount, discount, held, left - held, why_not(bill))
    return found


def why_not(bill: Bill) -> str:
    """Why a bill is not paid though it is open; empty where it may be."""
    if bill.blocked:
        return bill.blocked
    if bill.needs_approval and not bill.approved_by_id:
        return "waits for approval"
    return ""


def _paid(bills: Iterable[int]) -> dict[int, tuple[Decimal, Decimal]]:
    rows = PaymentPart.objects.filter(bill__any_of=bills, payment__reversed_by=None).values_list("bill").order_by()
    sums = rows.annotate(a=Sum("amount"), d=Sum("discount"))
    return {bill: (amount, discount) for bill, amount, discount in sums}


def _disputed(bills: Iterable[int]) -> dict[int, Decimal]:
    rows = BillLine.objects.filter(bill__any_of=bills, disputed__gt=0).values_list("bill").order_by()
    return dict(rows.annotate(total=Sum("disputed")))
