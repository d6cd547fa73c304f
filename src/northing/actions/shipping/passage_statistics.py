"""Learn from finished passages: how many days off plan each of their stretches was."""

from collections.abc import Iterator
from datetime import date, datetime
from itertools import chain

from django.db.models import Min

from northing.core.planning.ranges import Key, learn
from northing.masterdata.models import PastPassage
from northing.receiving.models import ReceiptLine
from northing.reports.ranges import inland_keys, ready_keys, sea_keys
from northing.shipping import operations as shipping
from northing.shipping.models import Leg, Shipment, ShipmentLine
from northing.shipping.queries import first_carried

# Older passages say little of today's lanes.
MOST = 20_000


def learn_passages(at: datetime) -> int:
    """Write what finished passages teach; returns under how many keys. The whole is written anew."""
    learnt = learn(chain(_samples(), _of_before()))
    shipping.keep_spreads(at, learnt)
    return len(learnt)


def _samples() -> Iterator[tuple[list[Key], int]]:
    found = Shipment.objects.filter(departed_on__isnull=False).select_related("voyage__carrier").order_by("-pk")[:MOST]
    shipments = {shipment.pk: shipment for shipment in found}
    legs: dict[int, list[Leg]] = {}
    for leg in Leg.objects.filter(shipment__in=shipments).select_related("load_call").order_by("shipment", "number"):
        legs.setdefault(leg.shipment_id, []).append(leg)
    suppliers, received = _suppliers(list(shipments)), _received(list(shipments))
    for key, shipment in shipments.items():
        main = next((leg for leg in legs.get(key, ()) if leg.main), None)
        if main is None or shipment.departed_on is None:
            continue
        first = first_carried(legs[key]) or main
        load, discharge = ports_of(shipment, first)
        for supplier in suppliers.get(key, ()):
            yield ready_keys(supplier, load), (shipment.departed_on - first.planned_start).days
        if shipment.arrived_on is None:
            continue
        carrier = shipment.voyage.carrier.code if shipment.voyage else ""
        off = (shipment.arrived_on - shipment.departed_on) - (main.planned_end - first.planned_start)
        yield sea_keys(load, discharge, carrier), off.days
        if key in received and shipment.planned_dock:
            rest = (received[key] - shipment.arrived_on) - (shipment.planned_dock - main.planned_end)
            yield inland_keys(discharge), rest.days


def _of_before() -> Iterator[tuple[list[Key], int]]:
    """The passages that were finished before Northing, as they were entered."""
    for past in PastPassage.objects.select_related("supplier", "carrier").order_by("-pk")[:MOST]:
        if past.supplier:
            yield ready_keys(past.supplier.code, past.load_port_id), (past.departed_on - past.planned_departure).days
        off = (past.arrived_on - past.departed_on) - (past.planned_arrival - past.planned_departure)
        carrier = past.carrier.code if past.carrier else ""
        yield sea_keys(past.load_port_id, past.discharge_port_id, carrier), off.days
        if past.received_on and past.planned_dock:
            rest = (past.received_on - past.arrived_on) - (past.planned_dock - past.planned_arrival)
            yield inland_keys(past.discharge_port_id), rest.days


def ports_of(shipment: Shipment, first: Leg) -> tuple[str, str]:
    """Where the shipment is loaded and discharged, by UN/LOCODE; by the words of its leg where no voyage calls."""
    load = first.load_call.port_id if first.load_call else first.origin
    return load, shipment.discharge_port_id or first.destination


def _suppliers(shipments: list[int]) -> dict[int, set[str]]:
    rows = (
        ShipmentLine.objects.filter(container__shipment__in=shipments)
        .order_by()
        .values_list("container__shipment", "instalment__line__order__supplier__code")
    )
    found: dict[int, set[str]] = {}
    for shipment, code in rows.distinct():
        found.setdefault(shipment, set()).add(code)
    return found


def _received(shipments: list[int]) -> dict[int, date]:
    """The first day on which something of a shipment was received."""
    lines = ReceiptLine.objects.filter(shipment_line__container__shipment__in=shipments, receipt__reversed_by=None)
    days = lines.order_by().values_list("shipment_line__container__shipment").annotate(day=Min("receipt__occurred_on"))
    return dict(days)
