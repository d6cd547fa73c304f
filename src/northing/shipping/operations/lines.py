"""Writes of shipment lines and pallets."""

from collections.abc import Iterable, Mapping, Sequence
from decimal import Decimal

from northing.database.columns import update_columns
from northing.shipping.models import (
    Container,
    HandlingContent,
    HandlingUnit,
    ShipmentLine,
)


def take_away(rows: Iterable[ShipmentLine]) -> None:
    """Shipment lines that are out again, with their shares of estimates. Movements keep pointing at what happened."""
    for row in rows:
        row.shares.all().delete()
        row.delete()


def own_shipment_lines(rows: Iterable[tuple]) -> None:
    """Goods that became ours: (shipment line, day, amount in the order's currency, in base currency, rate)."""
    types = {"ours_on": "date", "goods_amount": "numeric", "goods_base": "numeric", "goods_rate": "numeric"}
    update_columns(ShipmentLine._meta.db_table, types, list(rows))


def bring_in(shipment_lines: Sequence[ShipmentLine]) -> None:
    """What came unpacked, as the dock counted it."""
    ShipmentLine.objects.bulk_create(shipment_lines)


def send_back(shipment_lines: Iterable[int]) -> None:
    """What came unpacked (ids) did not come after all: nothing of it is on its way or accounted for."""
    ShipmentLine.objects.filter(pk__in=list(shipment_lines), container=None).update(quantity=0, accounted=0)


def account_for(shipment_lines: Iterable[ShipmentLine]) -> None:
    """Write how much of each was received or declared missing."""
    update_columns(
        ShipmentLine._meta.db_table, {"accounted": "numeric"}, [(part.pk, part.accounted) for part in shipment_lines]
    )


def write_units(units: Iterable[tuple[Container, str, Mapping[int, Decimal]]]) -> None:
    """Pallets in containers, with how much of which shipment line (id) stands on each."""
    for container, sscc, contents in units:
        unit = HandlingUnit.objects.create(container=container, sscc=sscc)
        HandlingContent.objects.bulk_create(
            HandlingContent(unit=unit, shipment_line_id=shipment_line, quantity=quantity)
            for shipment_line, quantity in contents.items()
        )
