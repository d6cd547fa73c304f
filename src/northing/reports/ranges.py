"""When goods will be at the dock, as a range learnt from finished passages (core.ranges)."""

from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from datetime import date, timedelta
from decimal import Decimal
from functools import cached_property

from northing.core.planning.ranges import Key, Range, Stretch, arrival_range, pooled
from northing.orders.models import Instalment
from northing.shipping.models import Container, LearntSpread, Shipment, ShipmentLine
from northing.shipping.queries import first_carried

NEARLY = 0.9995
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
    """The ranges that the worker has learnt, read once."""

    @cached_property
    def _counts(self) -> Mapping[Key, Mapping[int, int]]:
        rows = LearntSpread.objects.values_list("key", "counts")
        return {tuple(key.split("|")): {int(days): count for days, count in counts.items()} for key, counts in rows}

    def stretch(self, name: str, keys: list[Key], gone: int | None = None, estimated: bool = False) -> Stretch:
        """A stretch with what is known of it."""
        return Stretch(name, *pooled(self._counts, keys), gone=gone, estimated=estimated)


def container_range(box: Container, learnt: Learnt, today: date) -> Range | None:
    """The range of a container: of what is spoken of by itself around that day, else that of its shipment."""
    shipment = box.shipment
    if box.own_dock is None:
        return shipment_range(shipment, learnt, today)
    port = shipment.discharge_port_id or ""
    return arrival_range(box.own_dock, [learnt.stretch(INLAND, inland_keys(port), estimated=True)], today)


def shipment_range(shipment: Shipment, learnt: Learnt, today: date) -> Range | None:
    """The range of a shipment's day at the dock; None where it has no legs."""
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
    ready = learnt.stretch(READY, ready_keys(_supplier_of(shipment), load), gone, estimated)
    late = shipment.expected_dock - (timedelta(0) if estimated else first.expected_start - first.planned_start)
    return arrival_range(late, [ready, learnt.stretch(SEA, sea), *rest], today)


def _supplier_of(shipment: Shipment) -> str:
    """Whose goods it is that decide when it leaves: of several, no one's alone."""
    aboard = ShipmentLine.objects.filter(container__shipment=shipment).order_by()
    codes = list(aboard.values_list("instalment__line__order__supplier__code", flat=True).distinct()[:2])
    return codes[0] if len(codes) == 1 else ""


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


def part_ranges(
    shipment_lines: Iterable[ShipmentLine], parts: Iterable[Instalment], need_by: date, today: date
) -> list[PartRange]:
    """The ranges of a line's open parts: those in shipments, and those that are still with the supplier."""
    learnt, found = Learnt(), []
    ranges: dict[tuple[int, date | None], Range | None] = {}
    for part in shipment_lines:
        if part.accounted >= part.quantity:
            continue
        box, shipment = part.container, part.container.shipment
        # Containers that go as their shipment share its range.
        key = (shipment.pk, box.own_dock)
        if key not in ranges:
            ranges[key] = container_range(box, learnt, today)
        known = ranges[key]
        if known:
            left = part.quantity - part.accounted
            found.append(PartRange(f"{part.container.number} of {shipment}", left, known, known.chance(need_by)))
    for one in parts:
        there = one.position.with_supplier if hasattr(one, "position") else None
        if not there:
            continue
        order = one.line.order
        port, site = order.supplier.port_id or "", order.site.port_id or ""
        ready = max(one.promise or one.asked_on, today)
        known = arrival_range(
            ready + timedelta(days=order.supplier.passage_days),
            [
                learnt.stretch(READY, ready_keys(order.supplier.code, port)),
                learnt.stretch(SEA, sea_keys(port, site, "")),
                learnt.stretch(INLAND, inland_keys(site)),
            ],
            today,
        )
        found.append(PartRange("with the supplier", there, known, known.chance(need_by)))
    return found
