"""Matters in the order of the Watch, a page of them without a look at all the others."""

from collections.abc import Collection, Iterable
from datetime import timedelta

from django.db import connection
from django.db.models import Q, QuerySet, Value
from django.utils import timezone

from northing.masterdata.queries import in_one_currency
from northing.worklist.models import DEAR, Matter

# Counts on the Watch go so far; what is beyond is more than anybody works through.
COUNTED = 10_000


def dearest(matters: QuerySet[Matter], companies: Collection[int], first: int, past: int) -> list[Matter]:
    """Rows `first` to `past` by cost of waiting: overdue, ours and due within a week, the rest; within each by stake.

    Where a day of delay has a price, a month of it counts on top of what is at stake. Companies of several base
    currencies are put in order by what it is worth in one of them. Each company's dearest are read by its index, and
    only as many as are wanted.
    """
    bare, worth = matters.select_related(None).order_by(), in_one_currency(set(companies))
    each = [
        ranked.filter(company=company)
        .annotate(urgency=Value(urgency), dear=DEAR * Value(rate))
        .order_by(DEAR.desc(), "due", "pk")
        .values_list("urgency", "dear", "due", "pk")[:past]
        for urgency, ranked in enumerate(_by_urgency(bare))
        for company, rate in worth.items()
    ]
    if not each:
        return []
    keys = each[0].union(*each[1:], all=True).order_by("urgency", "-dear", "due", "id")[first:past]
    found = [key for *_, key in keys]
    rows = matters.in_bulk(found)
    # One may be gone since it was found.
    return [rows[key] for key in found if key in rows]


def _by_urgency(matters: QuerySet[Matter]) -> list[QuerySet[Matter]]:
    today = timezone.localdate()
    overdue = Q(due__lt=today)
    soon = Q(party="us") | Q(due__lte=today + timedelta(days=7))
    later = Q(due__isnull=True) | Q(due__gte=today)
    return [
        matters.filter(overdue),
        matters.filter(soon & later),
        matters.exclude(party="us").filter(Q(due__isnull=True) | Q(due__gt=today + timedelta(days=7))),
    ]


def counted(matters: QuerySet[Matter], by: str, values: Iterable[str]) -> dict[str, int]:
    """How many there are of each value of a field, each up to COUNTED and one."""
    bare = matters.select_related(None).order_by()
    each = [bare.filter(**{by: value}).values_list(by)[: COUNTED + 1] for value in values]
    whole = each[0].union(*each[1:], all=True)
    sql, params = whole.query.sql_with_params()
    with connection.cursor() as cursor:
        cursor.execute(f"select counted.*, count(*) from ({sql}) counted group by 1", params)
        return dict(cursor.fetchall())
