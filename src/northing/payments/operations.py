"""Writes of payments, and of the advances that goods reserve."""

from collections.abc import Iterable, Sequence

from northing.ledger.models import Entry
from northing.payments.models import Payment, PaymentPart, Reserve, ReserveUse


def write_payment(payment: Payment, parts: Sequence[PaymentPart]) -> Payment:
    """A payment with its parts."""
    payment.save(force_insert=True)
    for part in parts:
        part.payment = payment
    PaymentPart.objects.bulk_create(parts)
    return payment


def mark_reversed(payment: Payment, entry: Entry) -> None:
    """A payment was undone; it stays a fact."""
    payment.reversed_by = entry
    payment.save(update_fields=["reversed_by"])


def reserve(reserves: Iterable[Reserve]) -> None:
    """Advances that belong to goods that became ours."""
    Reserve.objects.bulk_create(reserves)


def use(uses: Iterable[ReserveUse]) -> None:
    """Reserves that were set off by a bill, or given up; with the other sign, that they are there again."""
    ReserveUse.objects.bulk_create(uses)
