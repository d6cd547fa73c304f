"""Reads of the books."""

from collections.abc import Iterable
from datetime import date

from northing.core.money.periods import posting_day
from northing.masterdata.models import Company


def first_open_day(companies: Iterable[int], occurred_on: date) -> date:
    """The day a fact posts: its own, or the first that is open in all the companies (ids)."""
    closed = Company.objects.filter(pk__in=set(companies)).values_list("closed_through", flat=True)
    return max((posting_day(occurred_on, through) for through in closed), default=occurred_on)


def posting_note(companies: Iterable[int], occurred_on: date) -> str:
    """What to add to the telling of a fact whose period is closed; nothing where it is open."""
    posted_on = first_open_day(companies, occurred_on)
    if posted_on == occurred_on:
        return ""
    return f"; its period is closed, so it is posted in the first open one, on {posted_on:%-d %b %Y}"
