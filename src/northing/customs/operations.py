"""Writes of customs entries."""

from collections.abc import Iterable
from dataclasses import dataclass
from decimal import Decimal

from northing.customs.models import CustomsEntry, CustomsLine
from northing.ledger.models import Entry


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


def write_entry(entry: CustomsEntry, declared: Declaration) -> CustomsEntry:
    """A customs entry as booked, with what was declared."""
    entry.customs_value, entry.duty = declared.customs_value, declared.duty
    entry.tax_base, entry.tax = declared.tax_base, declared.tax
    entry.save()
    CustomsLine.objects.bulk_create(_customs_lines(entry, declared.lines))
    return entry


def mark_undone(entry: CustomsEntry, by: Entry) -> None:
    """A customs entry was corrected or reversed; it stays a fact."""
    entry.reversed_by = by
    entry.save(update_fields=["reversed_by"])


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
