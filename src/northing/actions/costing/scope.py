"""The scope of a charge: goods in shipments and containers, or order lines as wholes, packed or not."""

from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from datetime import date
from decimal import Decimal

from django.db.models import Q, QuerySet

from northing.actions.costing import ownership
from northing.actions.costing.absorb import Bearer
from northing.core.costing import charges
from northing.core.money.money import converted
from northing.core.orders.orders import net_amount
from northing.costing.models import Charge
from northing.costing.queries import line_units
from northing.masterdata.queries import Rates
from northing.orders import operations as orders
from northing.orders.models import OrderLine
from northing.shipping import operations as shipping
from northing.shipping.models import Container, ShipmentLine
from northing.shipping.queries import with_goods

ZERO = Decimal(0)


@dataclass(frozen=True)
class Scope:
    """Ids of shipments, containers, order lines and whole orders; or of goods of a shipment, or that came unpacked.

    Lines and orders given together with shipments or containers narrow those down; alone they are the scope, wherever
    their units are.
    """

    shipments: tuple[int, ...] = ()
    containers: tuple[int, ...] = ()
    lines: tuple[int, ...] = ()
    orders: tuple[int, ...] = ()
    goods: tuple[int, ...] = ()

    @property
    def all_lines(self) -> list[int]:
        """The order lines, those of whole orders among them."""
        of_orders = OrderLine.objects.filter(order__in=self.orders).values_list("pk", flat=True) if self.orders else ()
        return sorted({*self.lines, *of_orders})


@dataclass(frozen=True)
class Goods:
    """Goods that bear a part of a charge: a shipment line, or (without one) a whole order line."""

    line: OrderLine
    quantity: Decimal
    shipment_line: ShipmentLine | None = None

    @property
    def bearer(self) -> Bearer:
        """By which its shares are kept."""
        return Bearer(self.line.pk, self.shipment_line.pk if self.shipment_line else None)

    @property
    def is_packed(self) -> bool:
        """Whether it is, or was, in a container."""
        return self.shipment_line is not None and self.shipment_line.container is not None

    @property
    def source(self) -> str:
        """The container of the goods, in words."""
        return self.shipment_line.source if self.shipment_line else "whole line"

    def value(self, rates: Rates) -> Decimal:
        """In base currency: as they became ours, else at the day's rate."""
        if self.shipment_line is not None:
            owned = self.shipment_line.goods_base
            return ownership.value_today(self.shipment_line, rates) if owned is None else owned
        line, order = self.line, self.line.order
        amount = net_amount(self.quantity, line.pack_factor, line.pack_price, line.net_share, order.currency)
        return converted(amount, rates.of(order.company, order.currency), order.company.currency)


def companies_in(scope: Scope) -> list[int]:
    """The companies (ids) whose goods a scope names."""
    packed = "instalments__shipment_lines__container"
    named = Q(order__in=scope.orders) | Q(pk__in=scope.lines)
    if scope.shipments or scope.containers:
        named |= Q(**{f"{packed}__in": scope.containers}) | Q(**{f"{packed}__shipment__in": scope.shipments})
    return list(OrderLine.objects.filter(named).values_list("order__company", flat=True).order_by().distinct())


def scope_of(charge: Charge) -> Scope:
    """The scope of a charge, as it stands."""
    names = ("shipments", "containers", "lines", "goods")
    return Scope(**{name: tuple(getattr(charge, name).values_list("pk", flat=True)) for name in names})


def aboard(shipments: Iterable[int], containers: Iterable[int] = ()) -> list[ShipmentLine]:
    """The goods in whole shipments and containers (ids)."""
    return with_goods(_in_containers(shipments, containers))


def _in_containers(shipments: Iterable[int], containers: Iterable[int]) -> QuerySet[ShipmentLine]:
    whole = Container.objects.filter(shipment__in=list(shipments)).values("pk")
    found = ShipmentLine.objects.filter(container__in=whole)
    return found | ShipmentLine.objects.filter(container__in=list(containers))


def in_scope(scope: Scope) -> list[Goods]:
    """The goods that a scope names."""
    if scope.shipments or scope.containers:
        parts = aboard(scope.shipments, scope.containers)
        narrowed = set(scope.all_lines)
        return [
            Goods(part.instalment.line, part.quantity, part)
            for part in parts
            if not narrowed or part.instalment.line_id in narrowed
        ]
    parts = with_goods(ShipmentLine.objects.filter(pk__in=scope.goods, quantity__gt=0)) if scope.goods else []
    keys = scope.all_lines
    lines = OrderLine.objects.filter(pk__in=keys).select_related("order__company", "item").order_by("pk")
    units = line_units(keys)
    whole = [Goods(line, units[line.pk]) for line in lines if units[line.pk] > 0]
    return [Goods(part.instalment.line, part.quantity, part) for part in parts] + whole


def lock_scope(scope: Scope) -> list[Goods]:
    """Lock the shipments and orders of a scope, so that nothing of it is packed or received while it is spread."""
    shipments, of_orders = _records_of(scope)
    shipping.lock({*scope.shipments, *shipments})
    orders.lock(of_orders)
    return in_scope(scope)


def _records_of(scope: Scope) -> tuple[set[int], set[int]]:
    """The shipments that a scope's goods are in, and the orders that they are of (ids)."""
    lines = scope.all_lines
    if scope.shipments or scope.containers:
        parts = _in_containers(scope.shipments, scope.containers)
        parts = parts.filter(instalment__line__in=lines) if lines else parts
    else:
        parts = ShipmentLine.objects.filter(pk__in=scope.goods, quantity__gt=0)
    rows = set(parts.values_list("container__shipment", "instalment__line__order").order_by().distinct())
    named = OrderLine.objects.filter(pk__in=lines).values_list("order", flat=True) if lines else ()
    return {shipment for shipment, _ in rows if shipment}, {order for _, order in rows} | set(named)


def measures(goods: Sequence[Goods], day: date) -> list[charges.Bearer]:
    """The measures of each bearer on every basis; goods not ours yet count at the day's rate."""
    rates = Rates(day)
    return charges.bearers_of(
        [
            charges.Measured(
                one.line.order.company_id,
                one.line.pk,
                one.shipment_line.container_id if one.is_packed else None,
                one.value(rates),
                one.line.item.weight_kg * one.quantity,
                one.line.item.volume_m3 * one.quantity,
                one.quantity,
            )
            for one in goods
        ]
    )
