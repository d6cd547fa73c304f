"""When goods will be at the dock, as a range learnt from finished passages (core.ranges)."""

from collections.abc import Collection, Iterable, Mapping
from dataclasses import dataclass
from datetime import date, timedelta
from decimal import Decimal
from functools import cached_property
from typing import Any

from django.db.models import Max, Min

from northing.core.planning.ranges import Key, Range, Stretch, arrival_range, pooled
from northing.orders.models import Instalment
from northing.shipping.models import Container, LearntSpread, Shipment, ShipmentLine
from northing.shipping.queries import first_carried

NEARLY = 0.9995
# As suppliers_aboard finds them; None: not looked for yet.
Aboard = Mapping[int, str] | None
READY, SEA, INLAND = "made ready", "at sea", "cleared and brought in"


def ready_keys(supplier: str, port: str) -> list[Key]:
    """From this supplier at this port to all."""
    return [("ready", supplier, port), ("ready", supplier), ("ready",)]


def sea_keys(load: str, discharge: str, carrier: str) -> list[Key]:
    """From this carrier on this lane to all."""
    return [("sea", load, discharge, carrier), ("sea", load, discharge), ("sea", "by", carrier), ("sea",)]


def inland_keys(port: str) -> list[Key]:
    """From this port to all."""
    return [("inland", port), ("inland",)]


class Learnt:
    """The ranges that the worker has learnt, read once; what is known under some keys is put together once."""

    def __init__(self) -> None:
        self._pooled: dict[tuple[Key, ...], tuple[dict[int, float], float]] = {}

    @cached_property
    def _counts(self) -> Mapping[Key, Mapping[int, int]]:
        rows = LearntSpread.objects.values_list("key", "counts")
        return {tuple(key.split("|")): {int(days): count for days, count in counts.items()} for key, counts in rows}

    def stretch(self, name: str, keys: list[Key], gone: int | None = None, estimated: bool = False) -> Stretch:
        """A stretch with what is known of it."""
        if tuple(keys) not in self._pooled:
            self._pooled[tuple(keys)] = pooled(self._counts, keys)
        return Stretch(name, *self._pooled[tuple(keys)], gone=gone, estimated=estimated)


def container_range(box: Container, learnt: Learnt, today: date, suppliers: Aboard = None) -> Range | None:
    """The range of a container: of what is spoken of by itself around that day, else that of its shipment."""
    shipment = box.shipment
    if box.own_dock is None:
        return shipment_range(shipment, learnt, today, suppliers)
    port = shipment.discharge_port_id or ""
    return arrival_range(box.own_dock, [learnt.stretch(INLAND, inland_keys(port), estimated=True)], today)


def shipment_range(shipment: Shipment, learnt: Learnt, today: date, suppliers: Aboard = None) -> Range | None:
    """The range of a shipment's day at the dock; None where it has no legs.

    `suppliers` as suppliers_aboard found them, where many are asked for at once.
    """
    legs = sorted(shipment.legs.all(), key=lambda leg: leg.number)
    main = next((leg for leg in legs if leg.main), None)
    if main is None or shipment.expected_dock is None or shipment.planned_dock is None:
        return None
    first = first_carried(legs) or main
    load = first.load_call.port_id if first.load_call else first.origin
    discharge = shipment.discharge_port_id or main.destination
    inland = inland_keys(discharge)
    if shipment.arrived_on:
        base = shipment.arrived_on + (shipment.planned_dock - main.planned_end)
        gone = (today - base).days
        return arrival_range(base, [learnt.stretch(INLAND, inland, gone)], today)
    carrier = shipment.voyage.carrier.code if shipment.voyage else ""
    sea, rest = sea_keys(load, discharge, carrier), [learnt.stretch(INLAND, inland)]
    if shipment.departed_on:
        follows = shipment.departed_on + (main.planned_end - first.planned_start)
        estimated = main.expected_end != max(follows, today)
        base = shipment.expected_dock if estimated else shipment.expected_dock - (main.expected_end - follows)
        at_sea = learnt.stretch(SEA, sea, None if estimated else (today - follows).days, estimated)
        return arrival_range(base, [at_sea, *rest], today)
    estimated = first.expected_start != max(first.planned_start, today)
    gone = None if estimated else (today - first.planned_start).days
    supplier = suppliers_aboard([shipment.pk]) if suppliers is None else suppliers
    ready = learnt.stretch(READY, ready_keys(supplier.get(shipment.pk, ""), load), gone, estimated)
    late = shipment.expected_dock - (timedelta(0) if estimated else first.expected_start - first.planned_start)
    return arrival_range(late, [ready, learnt.stretch(SEA, sea), *rest], today)


def suppliers_aboard(shipments: Collection[int]) -> dict[int, str]:
    """Of each shipment (id) the supplier whose goods decide when it leaves (code): of several, no one's alone."""
    code = "instalment__line__order__supplier__code"
    aboard = ShipmentLine.objects.filter(container__shipment__in=shipments).order_by()
    rows = aboard.values_list("container__shipment").annotate(first=Min(code), last=Max(code))
    return {shipment: first if first == last else "" for shipment, first, last in rows}


@dataclass(frozen=True)
class PartRange:
    """A part of a line that is still to come: where it is, how much of it, and its range."""

    where: str
    quantity: Decimal
    range: Range
    chance: float | None

    @property
    def percent(self) -> int | None:
        """The chance in whole per cent; only what never failed to come is 100, only what never came is 0."""
        if self.chance is None:
            return None
        whole = round(self.chance * 100)
        return whole if self.chance > NEARLY or self.chance < 1 - NEARLY else min(max(whole, 1), 99)


class Ranges:
    """The ranges of open parts as of a day; what many of them share is worked out once.

    `shipments` are the ids of those that will be asked about.
    """

    def __init__(self, shipments: Collection[int], today: date):
        self.learnt, self.today = Learnt(), today
        self._suppliers = suppliers_aboard(shipments) if shipments else {}
        self._known: dict[tuple[Any, ...], Range | None] = {}

    def aboard(self, part: ShipmentLine, need_by: date) -> PartRange | None:
        """The range of what is still to come of a part in a container; None where nothing is, or no legs are known."""
        left = part.quantity - part.accounted
        if left <= 0:
            return None
        box, shipment = part.container, part.container.shipment
        # Containers that go as their shipment share its range.
        key = (shipment.pk, box.own_dock)
        if key not in self._known:
            self._known[key] = container_range(box, self.learnt, self.today, self._suppliers)
        known = self._known[key]
        return PartRange(f"{box.number} of {shipment}", left, known, known.chance(need_by)) if known else None

    def with_supplier(self, one: Instalment, need_by: date) -> PartRange | None:
        """The range of what an instalment still has with the supplier; None where that is nothing."""
        there = one.position.with_supplier if hasattr(one, "position") else None
        if not there:
            return None
        order = one.line.order
        port, site = order.supplier.port_id or "", order.site.port_id or ""
        ready = max(one.promise or one.asked_on, self.today)
        key = (order.supplier_id, site, ready)
        if key not in self._known:
            stretches = [
                self.learnt.stretch(READY, ready_keys(order.supplier.code, port)),
                self.learnt.stretch(SEA, sea_keys(port, site, "")),
                self.learnt.stretch(INLAND, inland_keys(site)),
            ]
            there_on = ready + timedelta(days=order.supplier.passage_days)
            self._known[key] = arrival_range(there_on, stretches, self.today)
        known = self._known[key]
        assert known
        return PartRange("with the supplier", there, known, known.chance(need_by))


def part_ranges(
    shipment_lines: Iterable[ShipmentLine], parts: Iterable[Instalment], need_by: date, today: date
) -> list[PartRange]:
    """The ranges of a line's open parts: those in shipments, and those that are still with the supplier."""
    aboard = list(shipment_lines)
    ranges = Ranges({part.container.shipment_id for part in aboard}, today)
    found = [ranges.aboard(part, need_by) for part in aboard]
    found += [ranges.with_supplier(one, need_by) for one in parts]
    return [one for one in found if one]


# What of an instalment with the supplier its range is worked out from.
NEEDED = ("promise", "asked_on", "position__with_supplier", "line__order__supplier__code")
NEEDED += ("line__order__supplier__port", "line__order__supplier__passage_days", "line__order__site__port")


def chances(need_by: Mapping[int, date], today: date) -> dict[int, int]:
    """Of each line (id) with its need-by day: the chance in whole per cent that all that is open is there by then.

    That of the part that is least likely, as the line's own page says it. Lines of which nothing is known are not in
    it. A fixed number of statements, however many lines.
    """
    parts = Instalment.objects.filter(line__in=need_by, position__with_supplier__gt=0)
    parts = parts.select_related("position", "line__order__supplier", "line__order__site").only(*NEEDED)
    # Instalments first: of a join with the lines the database would look through all that is under way.
    instalments = list(Instalment.objects.filter(line__in=need_by).order_by().values_list("pk", flat=True))
    aboard = ShipmentLine.objects.filter(instalment__in=instalments, container__isnull=False)
    aboard = aboard.select_related("container__shipment__voyage__carrier", "instalment")
    rows = list(aboard.prefetch_related("container__shipment__legs__load_call"))
    ranges = Ranges({part.container.shipment_id for part in rows}, today)
    found = [(part.instalment.line_id, ranges.aboard(part, need_by[part.instalment.line_id])) for part in rows]
    found += [(one.line_id, ranges.with_supplier(one, need_by[one.line_id])) for one in parts]
    least: dict[int, int] = {}
    for line, one in found:
        if one and one.percent is not None:
            least[line] = min(one.percent, least.get(line, 100))
    return least
