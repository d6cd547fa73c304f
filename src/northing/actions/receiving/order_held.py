"""Order goods that came without an order: the order is written, sent and tied to them in one act."""

from dataclasses import dataclass, replace
from datetime import date
from decimal import Decimal

from northing.access.acts import Act
from northing.actions.orders.send import place_order
from northing.actions.orders.write import LineRequest, OrderRequest
from northing.actions.receiving.tie import TieRequest, tie
from northing.activity.operations import once
from northing.core.problems import Problem, Refused
from northing.ledger.models import CostLayer
from northing.orders.models import OrderLine


@dataclass(frozen=True)
class OrderHeldRequest:
    """Held units of a layer (id), and the price of a base unit; the agreed one where none is said."""

    layer: int
    quantity: Decimal
    price: Decimal | None
    occurred_on: date


@once
def order_held(act: Act, request: OrderHeldRequest) -> int:
    """Write and send an order for the units, and receive them against it. Returns the new receipt's id.

    Refused where the order's amount asks for a second person: then nothing of it is kept.
    """
    layers = CostLayer.objects.select_related("item", "receipt_line__receipt")
    layer = layers.get(pk=request.layer)
    came = layer.receipt_line
    act.require("decide_goods", layer.company_id)
    # One act for the person: its key is that of the whole.
    within = replace(act, key="")
    line = LineRequest(layer.item.code, "", request.quantity, request.price)
    reference = f"came as {came.receipt}"
    order = place_order(
        within, OrderRequest(layer.company_id, came.supplier_id, layer.site_id, lines=(line,), reference=reference)
    )
    made = OrderLine.objects.select_related("order").get(order=order)
    if made.order.sent_at is None:
        what = "An order of this amount is not sent by you alone."
        mend = "Write it and have it approved; then tie these goods to it here."
        raise Refused(Problem(what, "price", mend))
    return tie(within, TieRequest(came.receipt_id, made.pk, request.occurred_on, request.quantity))
