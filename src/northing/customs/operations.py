"""Writes of customs entries."""

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime
from decimal import Decimal
from typing import Protocol

from northing.customs.models import (
    CustomsEntry,
    CustomsLine,
    OfficePayment,
    OfficePaymentPart,
    OriginProof,
    Release,
    TariffChange,
    TariffMove,
)
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


def write_entry(entry: CustomsEntry, declared: Declaration, shipments: Iterable[int]) -> CustomsEntry:
    """A customs entry as booked, with what was declared, and the shipments (ids) that it is in."""
    entry.customs_value, entry.duty = declared.customs_value, declared.duty
    entry.tax_base, entry.tax = declared.tax_base, declared.tax
    entry.save()
    entry.shipments.set(shipments)
    CustomsLine.objects.bulk_create(_customs_lines(entry, declared.lines))
    return entry


def write_proof(proof: OriginProof, goods: Iterable[int]) -> None:
    """A paper proves the origin of goods; of a shipment, or of shipment lines (ids) that came unpacked."""
    proof.save(force_insert=True)
    proof.goods.set(goods)


def write_release(release: Release) -> None:
    """Customs released goods."""
    release.save(force_insert=True)


def withdraw(fact: OriginProof | Release, at: datetime) -> None:
    """It was not so after all; it stays a fact."""
    fact.withdrawn_at = at
    fact.save(update_fields=["withdrawn_at"])


def write_office_payment(payment: OfficePayment, parts: Sequence[OfficePaymentPart]) -> OfficePayment:
    """A payment to an office, by entry."""
    payment.save(force_insert=True)
    for part in parts:
        part.payment = payment
    OfficePaymentPart.objects.bulk_create(parts)
    return payment


class Moved(Protocol):
    """Open units of an order line (id): what they cost before and after a change, in all."""

    line: int
    quantity: Decimal
    duty_before: str
    duty_after: str
    before: Decimal
    after: Decimal


def write_tariff_change(change: TariffChange) -> None:
    """A change of the tariff whose effect is to be reckoned."""
    change.save(force_insert=True)


def write_tariff_moves(change: TariffChange, found: Iterable[Moved]) -> None:
    """The lines that it moves; what was found before is found anew."""
    change.moves.all().delete()
    TariffMove.objects.bulk_create(
        (
            TariffMove(
                change=change,
                line_id=one.line,
                quantity=one.quantity,
                duty_before=one.duty_before[:120],
                duty_after=one.duty_after[:120],
                before=one.before,
                after=one.after,
            )
            for one in found
        ),
        batch_size=2_000,
    )


def mark_undone(done: CustomsEntry | OfficePayment, by: Entry) -> None:
    """A customs entry was corrected or reversed, or a payment to an office; it stays a fact."""
    done.reversed_by = by
    done.save(update_fields=["reversed_by"])
    if isinstance(done, CustomsEntry):
        done.lines.update(stands=False)


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
