"""What is owed by bills by how long it is due: for each company, in bands of days."""

from collections import defaultdict
from collections.abc import Mapping
from dataclasses import dataclass
from datetime import date
from decimal import Decimal

from northing.masterdata.models import Company
from northing.reports.due_days import Days

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


def aging(days: Mapping[int, Days], today: date) -> list[Age]:
    """What is owed (`owed_by_day`) by company and band, in base currency; bands in which nothing is are left out."""
    known = Company.objects.in_bulk(days)
    sums: dict[tuple[str, str, int], Decimal] = defaultdict(Decimal)
    for company, owed in days.items():
        for due, amount in owed.items():
            sums[known[company].code, known[company].currency, _band(due, today)] += amount
    most = max(sums.values(), default=ZERO)
    return [
        Age(company, currency, BANDS[band][0], amount, max(amount, ZERO) * 100 / most if most > 0 else ZERO)
        for (company, currency, band), amount in sorted(sums.items())
    ]


def _band(due: date, today: date) -> int:
    late = (today - due).days
    return next(place for place, (_, last) in enumerate(BANDS) if last is None or late <= last)
