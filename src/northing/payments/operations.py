"""Writes of payments, and of the advances that goods reserve."""

from collections.abc import Iterable, Sequence

from northing.ledger.models import Entry
from northing.payments.models import (
    AskedPayment,
    BetweenPart,
    BetweenPayment,
    Payment,
    PaymentPart,
    Reserve,
    ReserveUse,
)


def write_payment(payment: Payment, parts: Sequence[PaymentPart]) -> Payment:
    """A payment with its parts."""
    payment.save(force_insert=True)
    for part in parts:
        part.payment = payment
    PaymentPart.objects.bulk_create(parts)
    return payment


def ask(asked: AskedPayment, bills: Iterable[int]) -> AskedPayment:
    """A payment of bills (ids) that waits for a second person."""
    asked.save(force_insert=True)
    asked.bills.set(bills)
    return asked


def end_asked(asked: AskedPayment, state: str, *, payment: int | None = None, reason: str = "") -> None:
    """A payment that waited is made, or is not."""
    asked.state, asked.payment_id, asked.reason = state, payment, reason
    asked.save(update_fields=["state", "payment", "reason"])


def write_between(payment: BetweenPayment, parts: Sequence[BetweenPart]) -> BetweenPayment:
    """What one company of ours paid another."""
    payment.save(force_insert=True)
    for part in parts:
        part.payment = payment
    BetweenPart.objects.bulk_create(parts)
    return payment


def mark_between_reversed(payment: BetweenPayment, entry: Entry) -> None:
    """A settlement between companies was undone; it stays a fact."""
    payment.reversed_by = entry
    payment.save(update_fields=["reversed_by"])


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
