"""Writes of charges, their parts and shares."""

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from datetime import date
from decimal import Decimal

from django.db.models import F

from northing.costing.models import Charge, ChargePart, ChargeShare

# What bears a share, by id: an order line, and a shipment line of it or (None) the whole.
Key = tuple[int, int | None]


@dataclass(frozen=True)
class PartDraft:
    """A company's part of a charge: all of it and what is billed, in both currencies; and who bears how much of it."""

    company: int
    amount: Decimal
    base_amount: Decimal
    billed: Decimal
    billed_base: Decimal
    shares: Mapping[Key, Decimal]


def announce(charge: Charge, number: str, amount: Decimal, day: date) -> None:
    """Keep what the payee says that it bills."""
    charge.announced_number, charge.announced, charge.announced_on = number, amount, day
    charge.save(update_fields=["announced_number", "announced", "announced_on"])


def bear_by_order_lines(parts: Iterable[int]) -> None:
    """Shares of shipment lines (ids) of which nothing came lie on their whole order lines."""
    for share in ChargeShare.objects.filter(shipment_line__in=list(parts)).order_by("pk"):
        whole = ChargeShare.objects.filter(charge=share.charge_id, order_line=share.order_line_id, shipment_line=None)
        if whole.update(amount=F("amount") + share.amount):
            share.delete()
        else:
            share.shipment_line = None
            share.save(update_fields=["shipment_line"])


def bear_by(shares: Iterable[int], part: int) -> None:
    """Shares (ids) of a whole order line lie on a shipment line (id) again."""
    ChargeShare.objects.filter(pk__in=list(shares)).update(shipment_line=part)


def write_charge(
    charge: Charge,
    shipments: Iterable[int] = (),
    containers: Iterable[int] = (),
    lines: Iterable[int] = (),
    goods: Iterable[int] = (),
) -> Charge:
    """A charge, or what its bill says of it, and what it is spread over (ids)."""
    charge.save()
    charge.shipments.set(shipments)
    charge.containers.set(containers)
    charge.lines.set(lines)
    charge.goods.set(goods)
    return charge


def write_spread(charge: Charge, parts: Sequence[PartDraft]) -> None:
    """Replace how a charge is spread; what was estimated before its first bill is kept."""
    estimated = dict(charge.parts.values_list("company", "estimated_base"))
    if charge.billed is None and charge.expected:
        estimated = {part.company: part.base_amount for part in parts}
    charge.shares.all().delete()
    charge.parts.all().delete()
    ChargePart.objects.bulk_create(
        ChargePart(
            charge=charge,
            company_id=part.company,
            amount=part.amount,
            base_amount=part.base_amount,
            billed=part.billed,
            billed_base=part.billed_base,
            estimated_base=estimated.get(part.company),
        )
        for part in parts
    )
    ChargeShare.objects.bulk_create(
        ChargeShare(
            charge=charge, order_line_id=line, shipment_line_id=part_key, company_id=part.company, amount=amount
        )
        for part in parts
        for (line, part_key), amount in part.shares.items()
    )


def bill(charge: Charge, closed_on: date | None) -> None:
    """Save a charge's billed amount as it stands in memory, and whether a bill is still expected."""
    charge.closed_on = closed_on
    charge.save(update_fields=["billed", "billed_on", "currency", "closed_on"])


def bear_nothing(charge: Charge) -> None:
    """Nothing is billed of a charge any more."""
    charge.parts.update(billed=Decimal(0), billed_base=Decimal(0))


def keep_basis(charge: Charge) -> None:
    """Save by what a charge is spread from now on."""
    charge.save(update_fields=["basis"])


def close(charge: Charge, day: date) -> None:
    """No bill of a charge is expected any more."""
    charge.closed_on = day
    charge.save(update_fields=["closed_on"])
