"""Open bills by how long they are due: for each party and currency, in bands of days."""

from collections.abc import Iterable
from dataclasses import dataclass
from datetime import date, timedelta
from decimal import Decimal

from django.db.models import Case, IntegerField, Sum, Value, When
from django.db.models.functions import Coalesce

from northing.billing.models import PAYABLES, Bill
from northing.ledger.models import DocumentKind, OpenItem

ZERO = Decimal(0)
# The last day of each band in days after the due day; what is later is in the last.
BANDS = (("not due", 0), ("1 to 30 days", 30), ("31 to 60 days", 60), ("longer", None))


@dataclass(frozen=True)
class Age:
    """What is owed in one band of days after the due day, in base currency of a company."""

    company: str
    currency: str
    band: str
    amount: Decimal
    share: Decimal


def aging(companies: Iterable[int], today: date) -> list[Age]:
    """What is owed by company and band, in base currency; bands in which nothing is are left out."""
    accounts = [account.value for account in PAYABLES.values()]
    items = OpenItem.objects.filter(
        account__in=accounts, document_kind=DocumentKind.BILL, company__in=list(companies)
    ).exclude(amount=0, base=0)
    due = dict(
        Bill.objects.filter(pk__in=items.values("document"))
        .annotate(due=Coalesce("due_on", "day"))
        .annotate(band=_band_of(today))
        .values_list("pk", "band")
    )
    sums: dict[tuple[str, str, int], Decimal] = {}
    rows = items.values_list("company__code", "company__currency", "document").order_by()
    for company, currency, document, base in rows.annotate(base=-Sum("base")):
        key = company, currency, due.get(document, 0)
        sums[key] = sums.get(key, ZERO) + base
    most = max(sums.values(), default=ZERO)
    return [
        Age(company, currency, BANDS[band][0], amount, max(amount, ZERO) * 100 / most if most > 0 else ZERO)
        for (company, currency, band), amount in sorted(sums.items())
    ]


def _band_of(today: date) -> Case:
    whens = [
        When(due__gte=today - timedelta(days=last), then=Value(place))
        for place, (_, last) in enumerate(BANDS)
        if last is not None
    ]
    return Case(*whens, default=Value(len(BANDS) - 1), output_field=IntegerField())
