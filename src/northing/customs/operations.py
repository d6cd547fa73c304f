"""Writes of customs entries."""

from collections.abc import Iterable
from dataclasses import dataclass
from datetime import date
from decimal import Decimal

from northing.costing.models import Charge
from northing.customs.models import CustomsEntry, CustomsLine


@dataclass(frozen=True)
class DeclaredLine:
    """One shipment line on a customs entry."""

    shipment_line: int
    hs_code: str
    origin: str
    customs_value: Decimal
    duty_rate: Decimal
    duty: Decimal


@dataclass(frozen=True)
class Declaration:
    """The totals and lines of a customs entry."""

    customs_value: Decimal
    duty: Decimal
    tax_base: Decimal
    tax: Decimal
    lines: tuple[DeclaredLine, ...]


def write_entry(
    shipment: int, company: int, office: int, number: str, day: date, declared: Declaration, duty_charge: Charge | None
) -> CustomsEntry:
    """A customs entry as booked."""
    entry = CustomsEntry.objects.create(
        shipment_id=shipment,
        company_id=company,
        office_id=office,
        number=number,
        day=day,
        customs_value=declared.customs_value,
        duty=declared.duty,
        tax_base=declared.tax_base,
        tax=declared.tax,
        duty_charge=duty_charge,
    )
    CustomsLine.objects.bulk_create(_customs_lines(entry, declared.lines))
    return entry


def _customs_lines(entry: CustomsEntry, lines: Iterable[DeclaredLine]) -> list[CustomsLine]:
    return [
        CustomsLine(
            entry=entry,
            shipment_line_id=line.shipment_line,
            hs_code=line.hs_code,
            origin=line.origin,
            customs_value=line.customs_value,
            duty_rate=line.duty_rate,
            duty=line.duty,
        )
        for line in lines
    ]
