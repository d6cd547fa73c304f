"""Writes of cases and return notes."""

from collections.abc import Sequence
from datetime import datetime
from decimal import Decimal

from django.db.models import F

from northing.claims.models import Claim, ReturnNote
from northing.ledger.models import CostLayer


def open_cases(cases: Sequence[Claim]) -> list[Claim]:
    """Cases of failed or missing units, each without an end yet."""
    return Claim.objects.bulk_create(cases)


def end_units(case: Claim, quantity: Decimal) -> None:
    """So many units of a case have an end."""
    Claim.objects.filter(pk=case.pk).update(ended=F("ended") + quantity)


def withdraw_cases(layers: Sequence[CostLayer], at: datetime) -> list[int]:
    """Cases of layers never were: the receipt that opened them is reversed. Returns their ids."""
    cases = Claim.objects.filter(layer__in=layers)
    keys = list(cases.values_list("pk", flat=True))
    cases.update(withdrawn_at=at)
    return keys


def write_return(note: ReturnNote) -> ReturnNote:
    """Units that went back."""
    note.save(force_insert=True)
    return note
