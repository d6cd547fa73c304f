"""Exchange rates: entered or corrected by a person, and told."""

from dataclasses import dataclass
from datetime import date
from decimal import Decimal

from northing.access.acts import Act
from northing.activity.operations import add_history, once
from northing.drawings.figures import price
from northing.masterdata import operations as masterdata
from northing.masterdata.models import Company, ExchangeRate


@dataclass(frozen=True)
class RateRequest:
    """The worth of one unit of a currency in a company's base currency, from a day on; company by id."""

    company: int
    currency: str
    purpose: str
    day: date
    rate: Decimal


@once
def enter_rate(act: Act, request: RateRequest) -> int:
    """Enter or correct the rate of a day. Earlier postings keep their rate."""
    company = Company.objects.get(pk=request.company)
    act.require("enter_rate", company.pk)
    which = {"currency": request.currency, "purpose": request.purpose, "day": request.day}
    before = ExchangeRate.objects.filter(company=company, **which).values_list("rate", flat=True).first()
    made = masterdata.enter_rate(company, request.currency, request.purpose, request.day, request.rate, act.today)
    if before != request.rate:
        words = f"{request.purpose.capitalize()} rate of {request.currency} from {request.day:%-d %b %Y}"
        change = {"field": "rate", "old": price(before, 4) if before else "", "new": price(request.rate, 4)}
        add_history(act, "enter_rate", words, [("company", company.pk, company.pk)], changes=[change])
    return made.pk
