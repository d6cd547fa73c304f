"""Open matters of orders whose goods are ours and not billed."""

from collections.abc import Iterable

from django.db.models import Min, Sum

from northing.core.worklist import moves
from northing.ledger.models import Account, OpenItem
from northing.orders.models import PurchaseOrder
from northing.worklist.operations import MatterDraft, write_matters


def refresh_unbilled(orders: Iterable[int]) -> None:
    """Orders (ids) of which goods are ours and not billed: accounts' move, since the oldest of them became ours."""
    keys = list(orders)
    owed = OpenItem.objects.filter(account=Account.OWNED_NOT_BILLED, order_line__order__any_of=keys).exclude(amount=0)
    rows = owed.values_list("order_line__order").order_by().annotate(base=-Sum("base"), since=Min("occurred_on"))
    waiting = {order: (base, since) for order, base, since in rows}
    drafts = []
    for order, company in PurchaseOrder.objects.filter(pk__any_of=keys).values_list("pk", "company"):
        base, since = waiting.get(order, (None, None))
        move = moves.Move(moves.ACCOUNTS, "ours, not billed yet", since) if since else None
        drafts.append(MatterDraft(kind="unbilled", record=order, company=company, move=move, at_stake=base or 0))
    write_matters(drafts)
