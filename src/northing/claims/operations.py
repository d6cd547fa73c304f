"""Writes of cases and return notes."""

from collections.abc import Iterable, Sequence
from datetime import datetime
from decimal import Decimal

from django.db.models import F

from northing.claims.models import Claim, ReturnNote
from northing.ledger.models import CostLayer, Entry


def open_cases(cases: Sequence[Claim]) -> list[Claim]:
    """Cases of failed or missing units, each without an end yet."""
    return Claim.objects.bulk_create(cases)


def end_units(case: Claim, quantity: Decimal) -> None:
    """So many units of a case have an end."""
    Claim.objects.filter(pk=case.pk).update(ended=F("ended") + quantity)


def withdraw_cases(layers: Sequence[CostLayer], at: datetime) -> list[int]:
    """Cases of layers never were: the receipt that opened them is reversed. Returns their ids."""
    return withdraw(Claim.objects.filter(layer__in=layers, withdrawn_at=None).values_list("pk", flat=True), at)


def withdraw(cases: Iterable[int], at: datetime) -> list[int]:
    """Cases (ids) never were: what opened them is reversed. Returns their ids."""
    keys = list(cases)
    Claim.objects.filter(pk__in=keys).update(withdrawn_at=at)
    return keys


def mark_reversed(note: ReturnNote, entry: Entry) -> None:
    """A return was undone; it stays a fact, and its units have no end again."""
    note.reversed_by = entry
    note.save(update_fields=["reversed_by"])
    Claim.objects.filter(pk=note.case_id).update(ended=F("ended") - note.quantity)


def write_return(note: ReturnNote) -> ReturnNote:
    """Units that went back."""
    note.save(force_insert=True)
    return note
