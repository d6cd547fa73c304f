"""Writes of charges, their parts and shares."""

from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from datetime import date
from decimal import Decimal

from northing.costing.models import Charge, ChargePart, ChargeShare


@dataclass(frozen=True)
class PartDraft:
    """A company's part of a charge, and what each of its shipment lines (ids) bears of it."""

    company: int
    amount: Decimal
    rate: Decimal
    base_amount: Decimal
    shares: dict[int, Decimal]


def write_charge(charge: Charge, shipments: Iterable[int], containers: Iterable[int], lines: Iterable[int]) -> Charge:
    """A charge, or what its bill says of it, and what it is spread over (ids)."""
    charge.save()
    charge.shipments.set(shipments)
    charge.containers.set(containers)
    charge.lines.set(lines)
    return charge


def write_spread(charge: Charge, parts: Sequence[PartDraft]) -> None:
    """Replace how a charge is spread."""
    charge.shares.all().delete()
    charge.parts.all().delete()
    ChargePart.objects.bulk_create(
        ChargePart(
            charge=charge, company_id=part.company, amount=part.amount, rate=part.rate, base_amount=part.base_amount
        )
        for part in parts
    )
    ChargeShare.objects.bulk_create(
        ChargeShare(charge=charge, shipment_line_id=shipment_line, company_id=part.company, amount=amount)
        for part in parts
        for shipment_line, amount in part.shares.items()
    )


def end(charge: Charge, day: date) -> None:
    """An estimate that will not be billed: nothing bears any of it."""
    charge.ended_on = day
    charge.save(update_fields=["ended_on"])
    charge.shares.all().delete()
    charge.parts.update(amount=Decimal(0), base_amount=Decimal(0))
