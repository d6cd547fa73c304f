"""How far bills are settled: what was set off, paid, taken as discount, is in dispute, and is open."""

from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from decimal import Decimal

from django.db.models import Sum

from northing.billing.models import Bill, BillLine
from northing.payments.models import AskedPayment, PaymentPart

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
    """By bill (id), how far it is settled; three queries for any number of bills, none for none."""
    if not bills:
        return {}
    keys = [bill.pk for bill in bills]
    paid, disputed, asked = _paid(keys), _disputed(keys), _asked(keys)
    found = {}
    for bill in bills:
        amount, discount = paid.get(bill.pk, (ZERO, ZERO))
        left = ZERO if bill.reversed_by_id else bill.owed - amount - discount
        held = min(disputed.get(bill.pk, ZERO), left)
        why = why_not(bill) or ("its payment waits for approval" if bill.pk in asked else "")
        found[bill.pk] = Settlement(bill.advance, amount, discount, held, left - held, why)
    return found


def why_not(bill: Bill) -> str:
    """Why a bill is not paid though it is open; empty where it may be, as a credit note always."""
    if bill.kind == Bill.Kind.CREDIT:
        return ""
    if bill.blocked:
        return bill.blocked
    if bill.needs_approval and not bill.approved_by_id:
        return f"waits for approval: {bill.approval_why}" if bill.approval_why else "waits for approval"
    return ""


def _paid(bills: Iterable[int]) -> dict[int, tuple[Decimal, Decimal]]:
    rows = PaymentPart.objects.filter(bill__any_of=bills, payment__reversed_by=None).values_list("bill").order_by()
    sums = rows.annotate(a=Sum("amount"), d=Sum("discount"))
    return {bill: (amount, discount) for bill, amount, discount in sums}


def _asked(bills: Iterable[int]) -> set[int]:
    """Bills whose payment waits for a second person."""
    waiting = AskedPayment.objects.filter(state=AskedPayment.State.WAITS, bills__any_of=bills)
    return set(waiting.values_list("bills", flat=True))


def _disputed(bills: Iterable[int]) -> dict[int, Decimal]:
    rows = BillLine.objects.filter(bill__any_of=bills, disputed__gt=0).values_list("bill").order_by()
    return dict(rows.annotate(total=Sum("disputed")))
