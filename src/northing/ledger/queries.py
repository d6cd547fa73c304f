"""Reads of the books."""

from collections.abc import Iterable
from datetime import date

from django.db.models import F, Q

from northing.core.money.periods import posting_day
from northing.masterdata.models import Company

# Layers of goods that came: those that were received, and missing ones of which units were found again.
CAME = Q(kind="stock") | Q(gone__lt=F("received"))


def posting_days(companies: Iterable[int], occurred_on: date) -> dict[int, date]:
    """The day a fact posts, by company (id): its own, or the first that is open there."""
    closed = Company.objects.filter(pk__in=set(companies)).values_list("pk", "closed_through")
    return {company: posting_day(occurred_on, through) for company, through in closed}


def posting_note(companies: Iterable[int], occurred_on: date) -> str:
    """What to add to the telling of a fact of which a period is closed; nothing where all are open."""
    later = sorted({day for day in posting_days(companies, occurred_on).values() if day != occurred_on})
    if not later:
        return ""
    days = " and ".join(f"{day:%-d %b %Y}" for day in later)
    return f"; its period is closed, so it is posted in the first open one, on {days}"
