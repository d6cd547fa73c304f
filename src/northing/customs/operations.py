"""Writes of customs entries."""

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime
from decimal import Decimal

from northing.customs.models import CustomsEntry, CustomsLine, OfficePayment, OfficePaymentPart, OriginProof, Release
from northing.ledger.models import Entry


@dataclass(frozen=True)
class DeclaredLine:
    """One shipment line on a customs entry."""

    shipment_line: int
    hs_code: str
    origin: str
    customs_value: Decimal
    duty_rate: Decimal
    words: str
    duty: Decimal
    extra: Mapping[str, str]


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


def write_proof(proof: OriginProof) -> OriginProof:
    """A paper that proves the origin of goods."""
    proof.save(force_insert=True)
    return proof


def withdraw_proof(proof: OriginProof, at: datetime) -> None:
    """It was no proof after all; it stays a fact."""
    proof.withdrawn_at = at
    proof.save(update_fields=["withdrawn_at"])


def write_office_payment(payment: OfficePayment, parts: Sequence[OfficePaymentPart]) -> OfficePayment:
    """A payment to an office, by entry."""
    payment.save(force_insert=True)
    for part in parts:
        part.payment = payment
    OfficePaymentPart.objects.bulk_create(parts)
    return payment


def mark_office_payment_reversed(payment: OfficePayment, by: Entry) -> None:
    """It was not paid after all; it stays a fact."""
    payment.reversed_by = by
    payment.save(update_fields=["reversed_by"])


def write_release(said: Release) -> Release:
    """Customs released goods."""
    said.save(force_insert=True)
    return said


def withdraw_release(said: Release, at: datetime) -> None:
    """It did not after all; it stays a fact."""
    said.withdrawn_at = at
    said.save(update_fields=["withdrawn_at"])


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
            words=line.words[:120],
            duty=line.duty,
            extra=dict(line.extra),
        )
        for line in lines
    ]
