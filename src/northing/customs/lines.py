"""Goods as the core reckons their duty: their weight, the rules of the tariff, the Incoterms rule of their order."""

from collections.abc import Mapping
from decimal import Decimal

from northing.core.costing.customs import INCLUDES, USUAL_RULE
from northing.core.costing.landed_cost import Line
from northing.core.costing.tariff import Applied
from northing.masterdata.tariffs import duty_of
from northing.orders.models import OrderLine

NOTHING: Mapping[str, Decimal] = {}


def customs_line(
    key: str,
    line: OrderLine,
    quantity: Decimal,
    amount: Decimal,
    rate: Decimal,
    found: Applied,
    included: Mapping[str, Decimal] = NOTHING,
) -> Line:
    """So many units of an order line, `amount` in the order's currency at the customs `rate`.

    Packs and discounts are rounded once, over all of it: the amount stands for quantity x price. `included` is what of
    it is freight or insurance.
    """
    item, order = line.item, line.order
    return Line(
        id=key,
        quantity=quantity,
        unit_price=Decimal(0),
        amount=amount,
        currency=order.currency,
        book_rate=Decimal(1),
        customs_rate=rate,
        weight_kg=item.weight_kg * quantity,
        net_weight_kg=item.net_weight(quantity),
        measures=item.measures(quantity),
        duty=duty_of(item, found),
        extra=tuple((rule.name, rule.expression) for rule in found.extras),
        hs=item.hs_code,
        origin=item.origin,
        tax_rate=found.tax.expression.ad_valorem if found.tax else None,
        included=included,
        incoterm=order.incoterm if order.incoterm in INCLUDES else USUAL_RULE,
    )
