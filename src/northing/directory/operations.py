"""Writes of the directory."""

from datetime import date
from decimal import Decimal

from django.db import transaction

from northing.core.money import MINOR_UNITS
from northing.core.periods import day_problems
from northing.core.problems import Problem, refuse_if
from northing.directory.acts import Act
from northing.directory.models import Company, ExchangeRate


@transaction.atomic
def enter_rate(act: Act, company: Company, currency: str, purpose: str, day: date, rate: Decimal) -> ExchangeRate:
    """Enter or correct the rate of a day. What was posted keeps the rate it used."""
    act.require("enter_rate", company.pk)
    problems = day_problems(day, "day")
    if currency not in MINOR_UNITS:
        problems.append(Problem(f"{currency!r} is not an ISO 4217 currency.", "currency"))
    if currency == company.currency:
        problems.append(Problem("The base currency's rate is 1 and is not entered.", "currency"))
    if rate <= 0:
        problems.append(Problem("The rate must be above 0.", "rate"))
    refuse_if(problems)
    found, _ = ExchangeRate.objects.update_or_create(
        company=company, currency=currency, purpose=purpose, day=day, defaults={"rate": rate}
    )
    return found
