"""Writes of the directory."""

from collections.abc import Sequence
from datetime import date, timedelta
from decimal import Decimal

from django.db.models import Model

from northing.core.money.exact import plain
from northing.core.money.money import MINOR_UNITS
from northing.core.money.periods import day_problems
from northing.core.problems import Problem, refuse_if
from northing.masterdata.models import Agreement, Company, ExchangeRate, Item, Party

CUSTOMS_AHEAD = timedelta(days=40)


def enter_rate(
    company: Company, currency: str, purpose: str, day: date, rate: Decimal, today: date, source: str = ""
) -> ExchangeRate:
    """Write the rate of a day. Earlier postings keep their rate. Raises Refused for a rate that cannot be.

    `source` is who said it, where it was no person.
    """
    made = ExchangeRate(company=company, currency=currency, purpose=purpose, day=day, rate=rate)
    refuse_if(rate_problems(made, today))
    found, _ = ExchangeRate.objects.update_or_create(
        company=company, currency=currency, purpose=purpose, day=day, defaults={"rate": rate, "source": source}
    )
    return found


def rate_problems(rate: ExchangeRate, today: date) -> list[Problem]:
    """What is wrong with a rate. Customs offices say theirs before the month begins; no other is known ahead."""
    problems = day_problems(rate.day, "day")
    if not problems:
        ahead = CUSTOMS_AHEAD if rate.purpose == ExchangeRate.Purpose.CUSTOMS else timedelta(0)
        if rate.day > today + ahead:
            problems = [Problem("This day has not come yet.", "day", "Enter the rate of today or of a day before.")]
    if rate.currency not in MINOR_UNITS:
        problems.append(Problem(f"{rate.currency!r} is not an ISO 4217 currency.", "currency"))
    if rate.currency == rate.company.currency:
        problems.append(Problem("The base currency's rate is 1 and is not entered.", "currency"))
    if rate.rate <= 0:
        problems.append(Problem("The rate must be above 0.", "rate"))
    return problems


# What is agreed in a price step besides whose and when.
STEP = ("price", "supplier_code", "minimum", "multiple", "lead_days")


def change_party(party: Party, facts: dict[str, object]) -> None:
    """Record what was decided of a party."""
    for name, value in facts.items():
        setattr(party, name, value)
    party.save(update_fields=list(facts))


def change_item(item: Item, **facts: object) -> None:
    """Record what was decided of an item."""
    for name, value in facts.items():
        setattr(item, name, value)
    item.save(update_fields=list(facts))


def keep_agreement(supplier: Party, item: Item, asked) -> tuple[Agreement, dict[str, str] | None]:
    """Write a price step (`asked` has its fields) in the supplier's currency; returns it and what it replaced."""
    which = {"supplier": supplier, "item": item, "valid_from": asked.valid_from, "from_quantity": asked.from_quantity}
    old = Agreement.objects.filter(**which).first()
    before = {name: as_said(getattr(old, name)) for name in STEP} if old else None
    facts = {name: getattr(asked, name) for name in STEP} | {"currency": supplier.currency}
    return Agreement.objects.update_or_create(**which, defaults=facts)[0], before


def as_said(value: object) -> str:
    """A value as a story says it."""
    if isinstance(value, Decimal):
        return plain(value)
    return ", ".join(sorted(value)) if isinstance(value, list | tuple) else str(value)


def keep_records(model: type[Model], new: Sequence[Model], changed: Sequence[Model], names: Sequence[str]) -> None:
    """Records of the house that are new, and those of which `names` may have changed, in a few statements."""
    model._default_manager.bulk_create(new, batch_size=2_000)
    if changed:
        model._default_manager.bulk_update(changed, names, batch_size=500)
