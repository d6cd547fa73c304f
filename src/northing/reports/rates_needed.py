"""Which currencies need a rate, what for, and how old the newest is."""

from collections.abc import Collection
from dataclasses import dataclass, field
from datetime import date
from decimal import Decimal

from django.db.models import Count

from northing.costing.models import Charge
from northing.ledger.models import OpenItem
from northing.masterdata.models import Company
from northing.masterdata.queries import newest_rates, stands_from
from northing.worklist.models import LineSummary

# Older rates are warned of.
OLD = 4


@dataclass
class Need:
    """A currency of a company: what needs its rate, and the newest book rate."""

    company: Company
    currency: str
    # How many of what, called by its words for one and for several.
    needs: dict[tuple[str, str], int] = field(default_factory=dict)
    rate: Decimal | None = None
    since: date | None = None
    stands: bool = False
    days: int = 0

    @property
    def words(self) -> str:
        """Who needs it."""
        return ", ".join(f"{count} {words[0] if count == 1 else words[1]}" for words, count in self.needs.items())

    @property
    def problem(self) -> str:
        """What is wrong with its rate, in words; empty where it is fresh."""
        if self.rate is None:
            return "there is no rate"
        if not self.stands:
            return f"the newest rate is {self.days} days old and does not stand any more"
        return f"the newest rate is {self.days} days old" if self.days > OLD else ""


def rates_needed(companies: Collection[int], today: date) -> list[Need]:
    """The currencies of companies (ids) that open lines, open items or expected charges are in; worst first."""
    firms = Company.objects.in_bulk(list(companies))
    found: dict[tuple[int, str], Need] = {}

    def count(words: tuple[str, str], rows) -> None:
        for company, currency, many in rows:
            if company in firms and currency != firms[company].currency:
                need = found.setdefault((company, currency), Need(firms[company], currency))
                need.needs[words] = many

    lines = LineSummary.objects.filter(is_open=True).values_list("line__order__company", "line__order__currency")
    count(("open order line", "open order lines"), lines.annotate(many=Count("pk")).order_by())
    items = OpenItem.objects.exclude(amount=0).values_list("company", "currency")
    count(("open item", "open items"), items.annotate(many=Count("pk")).order_by())
    charges = Charge.objects.filter(closed_on=None).values_list("company", "estimated_currency")
    count(
        ("charge whose bill is to come", "charges whose bills are to come"),
        charges.annotate(many=Count("pk")).order_by(),
    )
    for key, company in firms.items():
        newest = newest_rates(company, today)
        for need in (one for (owner, _), one in found.items() if owner == key):
            since, rate = newest.get(("book", need.currency), (None, None))
            if since is not None:
                need.since, need.rate, need.days = since, rate, (today - since).days
                need.stands = since >= stands_from(company, today, "book")
    return sorted(found.values(), key=lambda one: (not one.problem, one.company.code, one.currency))
