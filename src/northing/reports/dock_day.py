"""The day of a dock: what comes when, how much work it is, and what about it cannot wait."""

from collections import defaultdict
from collections.abc import Collection, Iterable
from dataclasses import dataclass, field
from datetime import date, timedelta
from decimal import Decimal
from typing import NamedTuple

from django.db.models import Count, F, Q, QuerySet

from northing.inventory.models import OnHand, Status
from northing.masterdata.inspections import rules_of
from northing.reports.clocks import standings_of
from northing.shipping.models import Container, HandlingUnit, ShipmentLine
from northing.worklist.models import ExpectedDelivery, LineSummary

# A week is this day and those after it; free time that ends within so many days is said.
WEEK, SOON = 7, 3
ZERO = Decimal(0)
ITEM = ("item", "item__code", "item__group", "item__inspected", "item__volume_m3")
Supplier = tuple[int, str]


class Item(NamedTuple):
    """What is told of an item: whether it is inspected without any rule, and the volume of a unit."""

    pk: int
    code: str
    group: str
    inspected: bool
    volume_m3: Decimal


def windows(today: date) -> dict[str, Q]:
    """What is asked of the day on which goods are expected, by the name of the window."""
    week = today + timedelta(days=WEEK)
    return {
        "overdue": Q(expected_on__lt=today),
        "today": Q(expected_on=today),
        "week": Q(expected_on__gt=today, expected_on__lt=week),
        "later": Q(expected_on__gte=week),
        "unplanned": Q(expected_on=None),
    }


@dataclass
class Delivery:
    """A row of the dock: a container's goods for a site, or an order's that come unpacked."""

    record: ExpectedDelivery
    today: date
    orders: dict[int, str] = field(default_factory=dict)
    suppliers: dict[str, None] = field(default_factory=dict)
    # Items by their codes, and the units still to come, by order line; all by id.
    items: dict[int, str] = field(default_factory=dict)
    units: dict[int, Decimal] = field(default_factory=dict)
    volume_m3: Decimal = ZERO
    pallets: int = 0
    # Goods as they are inspected: items and their suppliers (ids).
    goods: set[tuple[Item, int]] = field(default_factory=set)
    inspected: bool = False
    # Codes of items of which nothing is in store; of what comes within the week.
    short: list[str] = field(default_factory=list)
    free_until: date | None = None

    @property
    def overdue(self) -> bool:
        """Whether its day has gone by."""
        return bool(self.record.expected_on and self.record.expected_on < self.today)

    @property
    def soon(self) -> bool:
        """Whether it comes within the week, or should have come."""
        return bool(self.record.expected_on and self.record.expected_on < self.today + timedelta(days=WEEK))

    @property
    def late(self) -> bool:
        """Whether the first need-by day of its lines is broken: what has not come is not here before today."""
        return self.record.need_by < max(self.record.expected_on or self.today, self.today)

    @property
    def where(self) -> str:
        """Where its goods are."""
        if self.record.container is None:
            return "with the supplier"
        shipment = self.record.container.shipment
        if shipment.arrived_on:
            return "landed"
        return "under way" if shipment.departed_on else "packed, not departed"

    @property
    def codes(self) -> list[str]:
        """The items, by code."""
        return sorted(self.items.values())

    def add(self, order: tuple[int, str], supplier: Supplier, line: int, item: Item, units: Decimal) -> None:
        """Units of an order's line (id)."""
        self.orders[order[0]] = order[1]
        self.suppliers[supplier[1]] = None
        self.items[item.pk] = item.code
        self.goods.add((item, supplier[0]))
        self.units[line] = self.units.get(line, ZERO) + units
        self.volume_m3 += units * item.volume_m3


def expected(sites: Collection[int]) -> QuerySet[ExpectedDelivery]:
    """All that is still to come to sites (ids)."""
    return ExpectedDelivery.objects.filter(site__in=list(sites))


def counts(deliveries: QuerySet[ExpectedDelivery], today: date) -> dict[str, int]:
    """How many are expected in each of the windows."""
    each = {name: Count("pk", filter=asked) for name, asked in windows(today).items()}
    return deliveries.order_by().aggregate(**each)


def delivery_rows(deliveries: QuerySet[ExpectedDelivery], today: date, first: int, past: int) -> list[Delivery]:
    """Rows `first` to `past` of deliveries, the next to come first. A fixed number of statements."""
    ordered = deliveries.order_by(F("expected_on").asc(nulls_last=True), "pk")
    # Which they are first: to put them in order the database need not carry all that is told of each.
    keys = list(ordered.values_list("pk", flat=True)[first:past])
    told = ("site", "order", "container__shipment__voyage__carrier", "container__shipment__discharge_port")
    found = deliveries.order_by().select_related(*told).in_bulk(keys)
    rows = [Delivery(found[key], today) for key in keys if key in found]
    of_boxes = {(row.record.container_id, row.record.site_id): row for row in rows if row.record.container_id}
    of_orders = {row.record.order_id: row for row in rows if row.record.order_id}
    _packed(of_boxes)
    _unpacked(of_orders)
    _short(rows)
    rules = rules_of({item for row in rows for item, _ in row.goods})
    for row in rows:
        row.inspected = any(rules.holds(item, supplier) for item, supplier in row.goods)
    boxes = [row.record.container for row in of_boxes.values() if row.record.container]
    _pallets(of_boxes.values())
    free = _free_until(boxes, today)
    for row in of_boxes.values():
        row.free_until = free.get(row.record.container_id)
    return rows


def _packed(rows: dict[tuple[int | None, int], Delivery]) -> None:
    line = "instalment__line__"
    order = f"{line}order__"
    parts = ShipmentLine.objects.filter(container__in={box for box, _ in rows}, accounted__lt=F("quantity"))
    of_order = (f"{order}site", f"{order}pk", f"{order}number", f"{order}supplier", f"{order}supplier__name")
    names = ("container", *of_order, "instalment__line")
    found = parts.order_by("pk").annotate(left=F("quantity") - F("accounted"))
    for box, site, pk, number, supplier, name, key, *item, left in found.values_list(
        *names, *(f"{line}{name}" for name in ITEM), "left"
    ):
        row = rows.get((box, site))
        if row:
            row.add((pk, number), (supplier, name), key, Item(*item), left)


def _unpacked(rows: dict[int | None, Delivery]) -> None:
    waiting = LineSummary.objects.filter(order__in=list(rows), is_open=True, with_supplier__gt=0).order_by("pk")
    names = ("order", "order__number", "supplier", "supplier__name", "pk")
    for pk, number, supplier, name, key, *item, left in waiting.values_list(*names, *ITEM, "with_supplier"):
        rows[pk].add((pk, number), (supplier, name), key, Item(*item), left)


def _short(rows: Iterable[Delivery]) -> None:
    """Items of which the company has nothing in store, of what comes within the week: later it says little."""
    rows = [row for row in rows if row.soon]
    items = {item for row in rows for item in row.items}
    held = OnHand.objects.filter(layer__item__in=items, status=Status.IN_STORE, quantity__gt=0).order_by()
    there = set(held.values_list("layer__company", "layer__item").distinct())
    for row in rows:
        row.short = sorted(code for item, code in row.items.items() if (row.record.company_id, item) not in there)


def _pallets(rows: Iterable[Delivery]) -> None:
    by_box: dict[int | None, list[Delivery]] = defaultdict(list)
    for row in rows:
        by_box[row.record.container_id].append(row)
    units = HandlingUnit.objects.filter(container__in=[key for key in by_box if key]).order_by()
    for box, count in units.values_list("container").annotate(Count("pk")):
        for row in by_box[box]:
            row.pallets = count


def _free_until(boxes: Iterable[Container], today: date) -> dict[int, date]:
    """Of containers (ids) that still stand in the port: the last day without charge, where it is near or gone."""
    landed = [box for box in boxes if box.shipment.arrived_on]
    found: dict[int, date] = {}
    for one in standings_of(landed):
        if one.ended is None and not one.out and one.free_until <= today + timedelta(days=SOON):
            found[one.container.pk] = min(one.free_until, found.get(one.container.pk, one.free_until))
    return found
