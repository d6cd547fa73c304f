"""The effect of an action in numbers, before it is done: what it would post, and which units would go where."""

from collections.abc import Callable
from dataclasses import dataclass
from decimal import Decimal
from typing import Any

from django.db import transaction
from django.db.models import Max, Sum

from northing.access.acts import Act
from northing.access.permissions import companies_of
from northing.core.positions.places import WORDS
from northing.ledger.models import Account, Posting
from northing.positions.models import Movement


@dataclass(frozen=True)
class Posted:
    """The change of an account of a company, in its base currency; debit is positive."""

    company: str
    currency: str
    account: str
    amount: Decimal


@dataclass(frozen=True)
class Moved:
    """Units (base unit) of an item that go from one place to another."""

    item: str
    unit: str
    quantity: Decimal
    source: str
    target: str


@dataclass(frozen=True)
class Effects:
    """The effect of an action."""

    posted: list[Posted]
    moved: list[Moved]


def effects_of(act: Act, action: Callable[[Act, Any], Any], request: Any) -> Effects:
    """Do the action, read its effect for the person's companies, and undo it. Raises Refused where the action does."""
    with transaction.atomic():
        before = Posting.objects.aggregate(last=Max("pk"))["last"] or 0
        moves = Movement.objects.aggregate(last=Max("pk"))["last"] or 0
        action(act.inner(), request)
        found = Effects(_posted(act, before), _moved(act, moves))
        transaction.set_rollback(True)
    return found


def _posted(act: Act, before: int) -> list[Posted]:
    rows = Posting.objects.filter(pk__gt=before, company__in=companies_of(act.person))
    rows = rows.values("company__code", "company__currency", "account").annotate(total=Sum("amount"))
    return [
        Posted(row["company__code"], row["company__currency"], Account(row["account"]).label, row["total"])
        for row in rows.exclude(total=0).order_by("company__code", "account")
    ]


def _moved(act: Act, before: int) -> list[Moved]:
    line = "instalment__line"
    rows = Movement.objects.filter(pk__gt=before, **{f"{line}__order__company__in": companies_of(act.person)})
    names = (f"{line}__item__code", f"{line}__item__unit", "source", "target")
    rows = rows.values_list(*names).annotate(total=Sum("quantity")).order_by(*names)
    return [Moved(item, unit, total, WORDS[source], WORDS[target]) for item, unit, source, target, total in rows]
