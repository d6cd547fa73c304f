"""Writes of receipts."""

from collections.abc import Iterable, Sequence
from dataclasses import asdict
from datetime import date, datetime

from django.db import connection
from django.db.models import F

from northing.access.acts import Act
from northing.access.models import Person
from northing.core.problems import Problem, Refused
from northing.formats.identifiers import with_gtin_check_digit
from northing.formats.told_receipts import Told
from northing.ledger.models import Entry
from northing.masterdata.models import Company, Site
from northing.receiving.models import (
    HeldDecision,
    PrintedLabels,
    Receipt,
    ReceiptLine,
    ShortQuestion,
    ToldLine,
    ToldReceipt,
)
from northing.shipping.models import DespatchNotice


def write_receipt(receipt: Receipt, lines: Sequence[ReceiptLine]) -> Receipt:
    """The receipt with its lines."""
    receipt.save()
    for line in lines:
        line.receipt = receipt
    ReceiptLine.objects.bulk_create(lines)
    return receipt


# The company's row is locked from here on until the transaction ends.
NUMBER = f"""
with counted as (
  update {Company._meta.db_table} set last_receipt_number = last_receipt_number + 1
   where id = %s returning code, last_receipt_number as last
)
update {Receipt._meta.db_table} r
   set number = c.code || '-R' || lpad(c.last::text, greatest(5, length(c.last::text)), '0')
  from counted c where r.id = %s returning r.number
"""


def number_receipt(receipt: Receipt) -> str:
    """Give the receipt the next number of its company."""
    with connection.cursor() as cursor:
        cursor.execute(NUMBER, [receipt.company_id, receipt.pk])
        receipt.number = cursor.fetchone()[0]
    return receipt.number


def lock_pallets(ssccs: Iterable[str]) -> None:
    """Whoever receives one of these pallets at the same time comes after this transaction."""
    numbers = sorted({int(sscc) for sscc in ssccs if sscc.isdecimal()})
    if numbers:
        with connection.cursor() as cursor:
            cursor.execute("select pg_advisory_xact_lock(n) from unnest(%s::bigint[]) n", [numbers])


# Of the 17 digits before the check digit.
SSCC_DIGITS = 17


def next_ssccs(company: Company, count: int) -> list[str]:
    """So many new SSCCs of the company: none is ever given twice (GS1 General Specifications 3.2).

    The company's row is locked until the transaction ends. Raises Refused where its prefix has no more.
    """
    Company.objects.filter(pk=company.pk).update(last_sscc=F("last_sscc") + count)
    last = Company.objects.values_list("last_sscc", flat=True).get(pk=company.pk)
    digits = SSCC_DIGITS - len(company.gs1_prefix)
    if last >= 10**digits:
        what = f"{company} has used up the SSCCs of its GS1 prefix."
        raise Refused(Problem(what, "pallets", "Enter another prefix with the company."))
    numbers = (str(number).zfill(digits) for number in range(last - count + 1, last + 1))
    # The first digit extends the serial number; the company's prefix stands behind it.
    return [with_gtin_check_digit(number[0] + company.gs1_prefix + number[1:]) for number in numbers]


def write_ssccs(lines: Sequence[ReceiptLine]) -> None:
    """The lines stand on the pallets that they say."""
    ReceiptLine.objects.bulk_update(lines, ["sscc"])


def note_labels(of: Receipt | DespatchNotice, person: Person, at: datetime) -> bool:
    """Note that labels are printed. Returns whether they had been printed before."""
    source = {"receipt" if isinstance(of, Receipt) else "notice": of}
    noted, first = PrintedLabels.objects.get_or_create(**source, defaults={"first_at": at, "first_by": person})
    if not first:
        PrintedLabels.objects.filter(pk=noted.pk).update(times=F("times") + 1)
    return not first


def write_told(act: Act, site: Site, number: str, day: date, said: Told) -> ToldReceipt:
    """A receipt of a contract warehouse as it came."""
    told = ToldReceipt.objects.create(
        site=site, number=number, received_on=day, remark=said.remark, sent_by=act.person, made_at=act.at
    )
    rows = [asdict(row) | {"serials": " ".join(row.serials)} for row in said.lines]
    ToldLine.objects.bulk_create(ToldLine(told=told, **row) for row in rows)
    return told


def settle_told(told: ToldReceipt, state: str, receipts: Iterable[int] = ()) -> None:
    """Save the outcome of a told receipt, and the receipts (ids) that it became."""
    told.state = state
    told.save(update_fields=["state"])
    told.receipts.set(list(receipts))


def ask_short(questions: Sequence[ShortQuestion]) -> None:
    """Write the questions about rests that the dock may not close."""
    ShortQuestion.objects.bulk_create(questions)


def answer_questions(questions: Iterable[ShortQuestion], answer: str, act: Act) -> list[int]:
    """Questions are answered. Returns their ids."""
    keys = [question.pk for question in questions]
    ShortQuestion.objects.filter(pk__in=keys).update(answer=answer, answered_by=act.person, answered_at=act.at)
    return keys


def ask_again(questions: Iterable[int]) -> None:
    """Questions (ids) are open again."""
    ShortQuestion.objects.filter(pk__in=list(questions)).update(answer="", answered_by=None, answered_at=None)


def write_decisions(decisions: Sequence[HeldDecision]) -> list[HeldDecision]:
    """The ends of held goods."""
    return HeldDecision.objects.bulk_create(decisions)


def mark_decisions_reversed(decisions: Iterable[HeldDecision], entry: Entry) -> None:
    """Decisions were undone; they stay facts."""
    HeldDecision.objects.filter(pk__in=[one.pk for one in decisions]).update(reversed_by=entry)


def mark_proof(receipt: Receipt, mark: str) -> None:
    """By this receipt alone it is known now that its shipment departed, or arrived."""
    setattr(receipt, mark, True)
    receipt.save(update_fields=[mark])


def mark_reversed(receipt: Receipt, entry: Entry) -> None:
    """The receipt was undone; it stays a fact."""
    receipt.reversed_by = entry
    receipt.save(update_fields=["reversed_by"])
