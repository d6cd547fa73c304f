"""Open matters of orders on their way out."""

from collections.abc import Iterable
from decimal import Decimal

from northing.actions.worklist.stakes import Stakes, day_of
from northing.core.orders.orders import net_amount
from northing.core.worklist import moves
from northing.orders.models import OrderLine, PurchaseOrder
from northing.worklist.operations import MatterDraft, write_matters

ZERO = Decimal(0)


def refresh_orders(orders: Iterable[int]) -> None:
    """Orders on their way out: check, approve, send."""
    stakes, drafts = Stakes(), []
    found = list(PurchaseOrder.objects.filter(pk__in=list(orders)).select_related("company"))
    # Plain rows: a file writes thousands of lines at once, and of each only its amount is needed.
    terms: dict[int, list[tuple]] = {order.pk: [] for order in found}
    columns = ("order_id", "quantity", "pack_factor", "pack_price", "net_share")
    for key, *line in OrderLine.objects.filter(order__in=terms).values_list(*columns):
        terms[key].append(line)
    for order in found:
        facts = moves.OrderFacts(
            created_on=day_of(order.created_at),
            checked_on=day_of(order.checked_at),
            approved_on=day_of(order.approved_at),
            sent_on=day_of(order.sent_at),
            need_by=order.need_by,
        )
        amounts = [net_amount(*line, order.currency) for line in terms[order.pk]]
        drafts.append(
            MatterDraft(
                kind="order",
                record=order.pk,
                company=order.company_id,
                move=moves.order_move(facts),
                at_stake=stakes.base(order.company, sum(amounts, ZERO), order.currency),
                person=order.buyer_id,
            )
        )
    write_matters(drafts)
