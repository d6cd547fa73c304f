"""Freight and insurance that a price includes and a country leaves out of its customs value."""

from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from decimal import Decimal
from typing import Any

from northing.core.costing.customs import FREIGHT, INCLUDES, INSURANCE
from northing.core.costing.landed_cost import spread_amount
from northing.core.money.exact import plain
from northing.core.money.money import is_whole
from northing.core.money.spread import whole_weights
from northing.core.problems import Problem, refuse_if
from northing.customs.models import CustomsEntry
from northing.masterdata.models import Territory
from northing.orders.models import PurchaseOrder
from northing.shipping.models import ShipmentLine

ZERO = Decimal(0)
KINDS = (FREIGHT, INSURANCE)
# By kind, in the currency of the order.
Amounts = dict[str, Decimal]


@dataclass(frozen=True)
class Included:
    """What of an order's (id) price for the goods of an entry is freight and insurance, in the order's currency."""

    order: int
    freight: Decimal = ZERO
    insurance: Decimal = ZERO

    @property
    def by_kind(self) -> Amounts:
        """The amounts above or below 0."""
        return {kind: amount for kind, amount in ((FREIGHT, self.freight), (INSURANCE, self.insurance)) if amount}

    @property
    def kept(self) -> dict[str, Any]:
        """As the entry keeps it."""
        return {"order": self.order, **{kind: plain(amount) for kind, amount in self.by_kind.items()}}


def included_before(entry: CustomsEntry | None, orders: Iterable[PurchaseOrder]) -> tuple[Included, ...]:
    """What an entry said of it for each of the orders, as far as their prices include it still."""
    said = {row["order"]: row for row in entry.included} if entry else {}
    found = []
    for order in orders:
        amounts = {kind: Decimal(said.get(order.pk, {}).get(kind, 0)) for kind in INCLUDES[order.incoterm]}
        found.append(Included(order.pk, **amounts))
    return tuple(found)


def orders_that_include(parts: Iterable[ShipmentLine], country: str) -> list[PurchaseOrder]:
    """The orders whose price includes what their country's customs deducts, in their order."""
    if not Territory.objects.filter(code=country, basis="fob").exists():
        return []
    found = {part.instalment.line.order_id: part.instalment.line.order for part in parts}
    return [order for _, order in sorted(found.items()) if INCLUDES.get(order.incoterm)]


def lines_included(
    parts: Sequence[ShipmentLine], amounts: Sequence[Decimal], said: Iterable[Included], country: str
) -> list[Amounts]:
    """What each line includes: an order's amounts are spread over its lines by their `amounts`. Raises Refused."""
    found: list[Amounts] = [{} for _ in parts]
    said = [one for one in said if one.by_kind]
    orders = {order.pk: order for order in orders_that_include(parts, country)} if said else {}
    refuse_if([problem for one in said for problem in _problems(one, orders.get(one.order))])
    for one in said:
        own = [place for place, part in enumerate(parts) if part.instalment.line.order_id == one.order]
        weights = whole_weights([amounts[place] for place in own])
        for kind, amount in one.by_kind.items():
            if not any(weights):
                refuse_if([Problem(f"{orders[one.order]} has no value that {kind} could be part of.", "number")])
            for place, share in zip(own, spread_amount(amount, weights, orders[one.order].currency), strict=True):
                found[place][kind] = share
    return found


def field_of(order: int, kind: str) -> str:
    """The name under which an amount is asked for and refused."""
    return f"in-{kind}-{order}"


def _problems(said: Included, order: PurchaseOrder | None) -> Iterable[Problem]:
    for kind, amount in said.by_kind.items():
        where = field_of(said.order, kind)
        if order is None:
            yield Problem("No freight or insurance is deducted from these goods.", where, "Leave it empty.")
        elif kind not in INCLUDES[order.incoterm]:
            yield Problem(f"The price of {order} under {order.incoterm} does not include {kind}.", where)
        elif amount < 0 or not is_whole(amount, order.currency):
            yield Problem(f"This is no amount in {order.currency}.", where, "Enter it as the supplier's bill says it.")
