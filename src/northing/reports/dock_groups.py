"""A dock's day listed by shipments, by orders or by announced pallets, rather than delivery by delivery."""

from collections import defaultdict
from dataclasses import dataclass, field
from datetime import date

from django.db.models import Count, F, Min, QuerySet, Sum, Value

from northing.core.money.exact import plain
from northing.orders.models import PurchaseOrder
from northing.shipping.models import HandlingContent, HandlingUnit, ShipmentLine
from northing.worklist.models import ExpectedDelivery


@dataclass
class Group:
    """Goods that come together: what they are called, of whom, when, how much, and the addresses' keys.

    `boxes` are its containers (id, number); what comes unpacked has none.
    """

    name: str
    expected_on: date | None
    lines: int
    need_by: date
    today: date
    site: int
    site_name: str
    shipment: int | None = None
    order: int | None = None
    supplier: str = ""
    boxes: list[tuple[int, str]] = field(default_factory=list)
    unpacked: bool = False
    goods: list[str] = field(default_factory=list)

    @property
    def overdue(self) -> bool:
        """Whether its day has gone by."""
        return bool(self.expected_on and self.expected_on < self.today)

    @property
    def late(self) -> bool:
        """Whether the first need-by day of its lines is broken."""
        return self.need_by < max(self.expected_on or self.today, self.today)


def shipment_rows(deliveries: QuerySet[ExpectedDelivery], today: date, first: int, past: int) -> list[Group]:
    """Shipments with the containers that are still to come to each site, the next to come first."""
    told = ("container__shipment", "container__shipment__reference", "site", "site__name")
    found = deliveries.filter(container__isnull=False).order_by().values_list(*told)
    found = found.annotate(day=Min("expected_on"), units=Sum("lines"), need=Min("need_by"))
    rows = [
        Group(name, day, lines, need, today, site, site_name, shipment=shipment)
        for shipment, name, site, site_name, day, lines, need in found.order_by(
            F("day").asc(nulls_last=True), "container__shipment", "site"
        )[first:past]
    ]
    known = {(row.shipment, row.site): row for row in rows}
    boxes = deliveries.filter(container__shipment__in={row.shipment for row in rows}).order_by("container__number")
    for shipment, site, box, number in boxes.values_list(
        "container__shipment", "site", "container", "container__number"
    ):
        if (shipment, site) in known:
            known[shipment, site].boxes.append((box, number))
    order = "instalment__line__order__"
    goods = ShipmentLine.objects.filter(
        container__shipment__in={row.shipment for row in rows}, **{f"{order}site__in": {row.site for row in rows}}
    )
    names: dict[tuple[int, int], set[str]] = defaultdict(set)
    told = ("container__shipment", f"{order}site", f"{order}supplier__name")
    for shipment, site, name in goods.order_by().values_list(*told).distinct():
        names[shipment, site].add(name)
    for row in rows:
        row.supplier = ", ".join(sorted(names[row.shipment or 0, row.site]))
    return rows


def order_rows(deliveries: QuerySet[ExpectedDelivery], today: date, first: int, past: int) -> list[Group]:
    """Orders of which anything is still to come, the next to come first; what is packed apart from what is not."""
    # A container may hold goods of other sites, and of other companies.
    aboard = ShipmentLine.objects.filter(
        container__deliveries__in=deliveries.order_by(),
        container__deliveries__site=F("instalment__line__order__site"),
        accounted__lt=F("quantity"),
    )
    packed = aboard.order_by().values_list("instalment__line__order")
    day, need = (Min(f"container__deliveries__{name}") for name in ("expected_on", "need_by"))
    packed = packed.annotate(day=day, need=need, units=Count("instalment__line", distinct=True), loose=Value(0))
    loose = deliveries.filter(order__isnull=False).order_by().values_list("order")
    loose = loose.annotate(day=Min("expected_on"), need=Min("need_by"), units=Sum("lines"), loose=Value(1))
    found = list(packed.union(loose, all=True).order_by(F("day").asc(nulls_last=True), "loose")[first:past])
    orders = PurchaseOrder.objects.select_related("site", "supplier").in_bulk([row[0] for row in found])
    rows = [_of_order(orders[key], day, need, lines, today, loose=loose) for key, day, need, lines, loose in found]
    _boxes_of_orders([row for row in rows if not row.unpacked], deliveries)
    return rows


def _of_order(order: PurchaseOrder, day: date | None, need: date, lines: int, today: date, *, loose: int) -> Group:
    return Group(
        order.number,
        day,
        lines,
        need,
        today,
        order.site_id,
        order.site.name,
        order=order.pk,
        supplier=order.supplier.name,
        unpacked=bool(loose),
    )


def _boxes_of_orders(rows: list[Group], deliveries: QuerySet[ExpectedDelivery]) -> None:
    known = {row.order: row for row in rows}
    parts = ShipmentLine.objects.filter(
        container__deliveries__in=deliveries.order_by(),
        instalment__line__order__in=list(known),
        accounted__lt=F("quantity"),
    )
    told = ("instalment__line__order", "container", "container__number")
    for order, box, number in parts.order_by("container__number").values_list(*told).distinct():
        known[order].boxes.append((box, number))


def pallet_rows(deliveries: QuerySet[ExpectedDelivery], today: date, first: int, past: int) -> list[Group]:
    """Pallets that a despatch notice announced in containers that are still to come, by container."""
    boxes = deliveries.filter(container__isnull=False)
    units = HandlingUnit.objects.filter(container__in=boxes.order_by().values("container"))
    units = list(units.select_related("container").order_by("container__number", "sscc")[first:past])
    coming = boxes.filter(container__in={unit.container_id for unit in units}).select_related("site")
    by_box = {one.container_id: one for one in coming}
    rows = {unit.pk: _of_pallet(unit, by_box[unit.container_id], today) for unit in units}
    line = "shipment_line__instalment__line"
    names = ("unit", f"{line}__item__code", f"{line}__item__unit", f"{line}__order__supplier__name", "quantity")
    sites = {row.site for row in rows.values()}
    there = HandlingContent.objects.filter(unit__in=rows, **{f"{line}__order__site__in": sites})
    for key, code, unit, supplier, quantity in there.values_list(*names):
        row = rows[key]
        row.goods.append(f"{plain(quantity)} {unit} {code}")
        row.lines, row.supplier = row.lines + 1, supplier
    return list(rows.values())


def _of_pallet(unit: HandlingUnit, one: ExpectedDelivery, today: date) -> Group:
    row = Group(unit.sscc, one.expected_on, 0, one.need_by, today, one.site_id, one.site.name)
    row.shipment, row.boxes = unit.container.shipment_id, [(unit.container_id, unit.container.number)]
    return row
