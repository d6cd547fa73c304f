"""Writes of shipment lines and pallets."""

from collections.abc import Iterable, Mapping, Sequence
from datetime import date
from decimal import Decimal

from northing.database.columns import update_columns
from northing.shipping.models import (
    Container,
    HandlingContent,
    HandlingUnit,
    Shipment,
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
    """Write unpacked goods as the dock counted them."""
    ShipmentLine.objects.bulk_create(shipment_lines)


def send_back(shipment_lines: Iterable[int]) -> None:
    """Undo shipment lines (ids) of unpacked goods: nothing of them is on its way or accounted for."""
    ShipmentLine.objects.filter(pk__in=list(shipment_lines), container=None).update(quantity=0, accounted=0)


def account_for(shipment_lines: Iterable[ShipmentLine]) -> None:
    """Write how much of each was received or declared missing."""
    update_columns(
        ShipmentLine._meta.db_table, {"accounted": "numeric"}, [(part.pk, part.accounted) for part in shipment_lines]
    )


def resize(shipment_lines: Iterable[ShipmentLine]) -> None:
    """Write how much each is, what of it is worth, and where it is packed."""
    types = {"quantity": "numeric", "goods_amount": "numeric", "goods_base": "numeric", "container_id": "bigint"}
    rows = [(one.pk, one.quantity, one.goods_amount, one.goods_base, one.container_id) for one in shipment_lines]
    update_columns(ShipmentLine._meta.db_table, types, rows)


# How much of a shipment line (id), of which lot and best-before day, stands on a pallet.
Contents = Mapping[tuple[int, str, date | None], Decimal]


def write_units(units: Iterable[tuple[Container, str, Contents]]) -> None:
    """Pallets in containers, with what stands on each."""
    for container, sscc, contents in units:
        unit = HandlingUnit.objects.create(container=container, sscc=sscc)
        HandlingContent.objects.bulk_create(
            HandlingContent(unit=unit, shipment_line_id=part, quantity=quantity, lot=lot, best_before=best_before)
            for (part, lot, best_before), quantity in contents.items()
        )


def keep_box(box: Container) -> None:
    """A container as it stands now."""
    box.save()


def let_go(box: Container) -> None:
    """An empty container of which nothing is said is not of its shipment any more."""
    box.delete()


def keep_packed(
    new: Sequence[ShipmentLine], changed: Sequence[ShipmentLine], less: Iterable[ShipmentLine]
) -> list[ShipmentLine]:
    """Lines that are packed now, with their quantities. Of those that hold `less` the pallets are unknown."""
    ShipmentLine.objects.bulk_update(changed, ["quantity"])
    HandlingContent.objects.filter(shipment_line__in=list(less)).delete()
    return ShipmentLine.objects.bulk_create(new)


def container_of(shipment: Shipment, number: str) -> Container:
    """The container of that number in a shipment; it is made where there is none."""
    return Container.objects.get_or_create(shipment=shipment, number=number, defaults={"size_type": "22G1"})[0]


def mark_billed_before(line: ShipmentLine) -> None:
    """Goods afloat that were billed before Northing."""
    ShipmentLine.objects.filter(pk=line.pk).update(opening_billed=True)
