"""Open matters of deposits: orders of which a part is to be paid with the order, by the supplier's terms."""

from collections.abc import Iterable
from decimal import Decimal

from django.db.models import Sum

from northing.core.money.exact import plain
from northing.core.money.money import converted, rounded
from northing.core.problems import Refused
from northing.core.worklist import moves
from northing.masterdata.queries import rate_for
from northing.orders.models import PurchaseOrder
from northing.payments.models import PaymentPart
from northing.reports.order_money import ordered_amount
from northing.worklist.operations import MatterDraft, write_matters

ZERO = Decimal(0)


def refresh_deposits(orders: Iterable[int]) -> None:
    """Orders (ids) that are sent: accounts' move until the deposit that their terms ask for is paid."""
    keys = list(orders)
    if not keys:
        return
    found = PurchaseOrder.objects.filter(pk__in=keys, supplier__payment_terms__deposit__gt=0)
    found = found.select_related("company", "supplier__payment_terms")
    drafts = []
    for order in found:
        left = deposit_due(order)
        since = order.sent_at.date() if order.sent_at else None
        words = f"a deposit of {plain(order.supplier.payment_terms.deposit * 100)} % is due"
        move = moves.Move(moves.ACCOUNTS, words, since, since) if since and left > 0 else None
        drafts.append(
            MatterDraft(
                kind="deposit", record=order.pk, company=order.company_id, move=move, at_stake=_worth(order, left)
            )
        )
    if drafts:
        write_matters(drafts)


def deposit_due(order: PurchaseOrder) -> Decimal:
    """What of an order's deposit is not paid, in its currency; an order that nobody waits for has none."""
    terms = order.supplier.payment_terms
    if terms is None or not terms.deposit or order.sent_at is None:
        return ZERO
    asked = rounded(ordered_amount(order) * terms.deposit, order.currency)
    parts = PaymentPart.objects.filter(order=order, payment__reversed_by=None, set_off=False)
    return max(asked - (parts.aggregate(total=Sum("amount"))["total"] or ZERO), ZERO)


def _worth(order: PurchaseOrder, amount: Decimal) -> Decimal:
    """In base currency; nothing where there is no rate."""
    try:
        rate = rate_for(order.company, order.currency, order.sent_at.date()) if amount else Decimal(1)
    except Refused:
        return ZERO
    return converted(amount, rate, order.company.currency)
