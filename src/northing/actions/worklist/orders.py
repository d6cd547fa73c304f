"""Open matters of orders on their way out."""

from collections.abc import Iterable
from decimal import Decimal

from django.db.models import OuterRef, Subquery

from northing.actions.worklist.deposits import refresh_deposits
from northing.actions.worklist.stakes import day_of
from northing.core.money.money import converted
from northing.core.orders.orders import net_amount
from northing.core.worklist import moves
from northing.masterdata.models import ExchangeRate
from northing.orders.models import OrderLine, PurchaseOrder
from northing.worklist.operations import MatterDraft, write_matters

ZERO = Decimal(0)


def refresh_orders(orders: Iterable[int]) -> None:
    """Orders on their way out: check, approve, send; and the deposits that their terms ask for."""
    drafts, terms = [], {}
    rate = ExchangeRate.objects.filter(company=OuterRef("company"), currency=OuterRef("currency"), purpose="book")
    heads = PurchaseOrder.objects.filter(pk__in=list(orders)).select_related("company", "supplier__payment_terms")
    found = list(heads.annotate(rate=Subquery(rate.order_by("-day").values("rate")[:1])))
    # Plain rows: a file writes thousands of lines at once, and of each only its amount is needed.
    waiting = [order.pk for order in found if order.sent_at is None]
    columns = ("order_id", "quantity", "pack_factor", "pack_price", "net_share")
    for key, *line in OrderLine.objects.filter(order__in=waiting).values_list(*columns) if waiting else ():
        terms.setdefault(key, []).append(line)
    for order in found:
        facts = moves.OrderFacts(
            created_on=day_of(order.created_at),
            checked_on=day_of(order.checked_at),
            approved_on=day_of(order.approved_at),
            sent_on=day_of(order.sent_at),
            need_by=order.need_by,
        )
        amounts = [net_amount(*line, order.currency) for line in terms.get(order.pk, ())]
        drafts.append(
            MatterDraft(
                kind="order",
                record=order.pk,
                company=order.company_id,
                move=moves.order_move(facts),
                at_stake=_base(order, sum(amounts, ZERO)),
                person=order.buyer_id,
            )
        )
    write_matters(drafts)
    refresh_deposits([one.pk for one in found if (own := one.supplier.payment_terms) and own.deposit])


def _base(order: PurchaseOrder, amount: Decimal) -> Decimal:
    """In base currency at the newest book rate; 0 where none was ever entered."""
    if order.currency == order.company.currency:
        return amount
    return converted(amount, order.rate or ZERO, order.company.currency)
