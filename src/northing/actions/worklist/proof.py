"""Proof that what is derived says what the facts say: whose move, and where each line stands."""

from django.db import connection, transaction

from northing.actions.worklist import (
    bills,
    cases,
    deposits,
    instalments,
    kept,
    layers,
    letters,
    notices,
    orders,
    payments,
    questions,
    rates,
    receipts,
    ripples,
    shipments,
    unbilled,
)
from northing.actions.worklist.deliveries import delivery_faults, refresh_every_delivery
from northing.actions.worklist.refresh import DRIFTING, FIGURES, NAMES, refresh_every_line
from northing.billing.models import Bill, KeptBill
from northing.claims.models import Claim
from northing.ledger.models import AskedRate, CostLayer
from northing.messaging.models import Message
from northing.orders.models import Instalment, PurchaseOrder
from northing.payments.models import AskedPayment
from northing.receiving.models import Receipt, ShortQuestion
from northing.shipping.models import DespatchNotice, Ripple, Shipment
from northing.worklist.models import LineSummary, Matter

CHUNK = 2_000
# What a new exchange rate moves without a fact is not compared.
SAID = ("kind", "record", "company", "party", "reason", "since", "due")
EVERY_LINE = "select id as line_id from orders_orderline"


def move_faults(mend: bool = False) -> list[str]:
    """The differences from the facts, in words; with `mend` they are put right."""
    with transaction.atomic():
        faults = _matter_faults() + _line_faults() + delivery_faults()
        if mend:
            refresh_every_line()
            refresh_every_delivery()
        else:
            transaction.set_rollback(True)
    return faults


def _matter_faults() -> list[str]:
    before = _matters()
    for model, refresh in (
        (PurchaseOrder, orders.refresh_orders),
        (PurchaseOrder, unbilled.refresh_unbilled),
        (PurchaseOrder, deposits.refresh_deposits),
        (Instalment, instalments.refresh_instalments),
        (Shipment, shipments.refresh_shipments),
        (CostLayer, layers.refresh_layers),
        (Claim, cases.refresh_cases),
        (Bill, bills.refresh_bills),
        (KeptBill, kept.refresh_kept),
        (AskedPayment, payments.refresh_asked),
        (ShortQuestion, questions.refresh_questions),
        (Message, letters.refresh_letters),
        (DespatchNotice, notices.refresh_notices),
        (Ripple, ripples.refresh_ripples),
        (AskedRate, rates.refresh_rates),
        (Receipt, receipts.refresh_receipts),
    ):
        found = model.objects.all() if model is not Instalment else Instalment.objects.filter(position__isnull=False)
        for keys in _chunks(found.order_by("pk").values_list("pk", flat=True).iterator()):
            refresh(keys)
    after = _matters()
    return [f"matter {one} should not be open" for one in sorted(before - after, key=str)] + [
        f"matter {one} is missing" for one in sorted(after - before, key=str)
    ]


def _chunks(keys):
    chunk: list[int] = []
    for key in keys:
        chunk.append(key)
        if len(chunk) == CHUNK:
            yield chunk
            chunk = []
    if chunk:
        yield chunk


def _matters() -> set[tuple]:
    return set(Matter.objects.values_list(*SAID).iterator())


def _line_faults() -> list[str]:
    names = ", ".join(name for name in NAMES if name not in DRIFTING)
    stored = f"select {names} from {LineSummary._meta.db_table}"
    said = f"select {names} from ({FIGURES.format(touched=EVERY_LINE)}) f"
    with connection.cursor() as cursor:
        cursor.execute(f"select line_id from (({stored} except {said}) union ({said} except {stored})) d group by 1")
        return [f"line {line} stands otherwise than its facts say" for (line,) in cursor.fetchall()]
