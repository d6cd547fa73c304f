"""Reads of the directory."""

from collections.abc import Collection, Iterable, Mapping
from dataclasses import dataclass, field, replace
from datetime import date, timedelta
from decimal import Decimal

from django.db.models import Count, QuerySet

from northing.core.money.exact import divide
from northing.core.planning.calendars import SATURDAY_SUNDAY, USUAL, Calendar, read_rest
from northing.core.problems import Problem, Refused
from northing.masterdata.catalogue import Catalogue
from northing.masterdata.models import (
    Agreement,
    Bin,
    ClaimDays,
    Company,
    ExchangeRate,
    Holiday,
    Item,
    Pack,
    Party,
    Port,
    RouteLeg,
    Site,
    WorkingWeek,
)

ONE = Decimal(1)
# Customs offices set their rates once a month.
CUSTOMS_STANDS_DAYS = 35


def rate_for(company: Company, currency: str, day: date, purpose: str = "book") -> Decimal:
    """Base currency for one unit of `currency` on `day`.

    The newest rate on or before the day that still stands, 1 for the base currency. A purpose that has no rate at all
    takes the book rate. Raises Refused when there is none.
    """
    if currency == company.currency:
        return ONE
    found = _newest(company, currency, day, purpose)
    if found is None and purpose != "book":
        known = ExchangeRate.objects.filter(company=company, currency=currency, purpose=purpose).exists()
        found = None if known else _newest(company, currency, day, "book")
    if found is None:
        raise Refused(
            Problem(
                f"{company.code} has no {purpose} rate for {currency} on {day:%-d %b %Y}.",
                "currency",
                "Enter it under Costs, Exchange rates, or choose a day that has one.",
            )
        )
    return found


def _newest(company: Company, currency: str, day: date, purpose: str) -> Decimal | None:
    rates = ExchangeRate.objects.filter(company=company, currency=currency, purpose=purpose, day__lte=day)
    rates = rates.filter(day__gte=stands_from(company, day, purpose))
    return rates.order_by("-day").values_list("rate", flat=True).first()


def stands_from(company: Company, day: date, purpose: str) -> date:
    """The day of the oldest rate that still stands on a day."""
    if company.rates_stand_days is None:
        return date.min
    return day - timedelta(days=CUSTOMS_STANDS_DAYS if purpose == "customs" else company.rates_stand_days)


# Rates that are older are looked for one by one.
RECENT = timedelta(days=370)
# By purpose and currency: the day of the newest rate, and the rate.
Newest = dict[tuple[str, str], tuple[date, Decimal]]


def newest_rates(company: Company, day: date) -> Newest:
    """The newest rate on or before a day of each purpose and currency, whether it still stands or not."""
    rates = ExchangeRate.objects.filter(company=company, day__gte=day - RECENT, day__lte=day)
    rates = rates.order_by("purpose", "currency", "-day").distinct("purpose", "currency")
    rows = rates.values_list("purpose", "currency", "day", "rate")
    return {(purpose, currency): (since, rate) for purpose, currency, since, rate in rows}


@dataclass
class Rates:
    """Rates of one day; those of a company are read once, however many lines ask for them.

    Rates of another purpose use what those `beside` them have read. What is `said` for a currency goes before.
    """

    day: date
    purpose: str = "book"
    beside: "Rates | None" = None
    said: Mapping[str, Decimal] = field(default_factory=dict)

    def __post_init__(self):
        self._found: dict[tuple[int, str], Decimal | Refused] = {}
        self._newest: dict[int, Newest] = self.beside._newest if self.beside else {}

    def of(self, company: Company, currency: str) -> Decimal:
        """The rate. Raises Refused when there is none."""
        found = self._read(company, currency)
        if isinstance(found, Refused):
            raise found
        return found

    def known(self, company: Company, currency: str) -> Decimal | None:
        """The rate, or None: a page shows what it can."""
        found = self._read(company, currency)
        return None if isinstance(found, Refused) else found

    def _read(self, company: Company, currency: str) -> Decimal | Refused:
        if currency in self.said:
            return self.said[currency]
        key = (company.pk, currency)
        if key not in self._found:
            self._found[key] = self._standing(company, currency) or self._asked(company, currency)
        return self._found[key]

    def _standing(self, company: Company, currency: str) -> Decimal | None:
        """The rate of this very purpose, if it is among the newest and stands."""
        if currency == company.currency:
            return ONE
        if company.pk not in self._newest:
            self._newest[company.pk] = newest_rates(company, self.day)
        since, rate = self._newest[company.pk].get((self.purpose, currency), (None, None))
        return rate if since is not None and stands_from(company, self.day, self.purpose) <= since else None

    def _asked(self, company: Company, currency: str) -> Decimal | Refused:
        try:
            return rate_for(company, currency, self.day, self.purpose)
        except Refused as refused:
            return refused


def find_pack(text: str) -> tuple[Item, Pack | None]:
    """The item of a code, or the item and packaging level of a GTIN. Raises Refused when unknown."""
    return Catalogue([text]).find(text)


def only_supplier_of(items: Collection[int]) -> Party | None:
    """The one supplier that all of these items (ids) are bought from; None where there is none, or more than one."""
    found = Party.objects.filter(kind=Party.Kind.SUPPLIER, agreements__item__in=items)
    found = found.annotate(kinds=Count("agreements__item", distinct=True)).filter(kinds=len(set(items)))
    suppliers = list(found[:2]) if items else []
    return suppliers[0] if len(suppliers) == 1 else None


def default_bin(site: int, purpose: str) -> Bin:
    """The first open bin of a purpose at a site. Raises Refused when the site has none."""
    found = Bin.objects.filter(site=site, purpose=purpose, blocked="").first()
    if found is None:
        raise Refused(Problem(f"The site has no {purpose} bin.", "bin", "Add one to the site first."))
    return found


def supplier_codes(pairs: Collection[tuple[int, int]]) -> dict[tuple[int, int], str]:
    """By supplier and item (ids): what the supplier calls the item, by the newest agreement that says it."""
    agreed = Agreement.objects.filter(supplier__in={one for one, _ in pairs}, item__in={item for _, item in pairs})
    agreed = agreed.exclude(supplier_code="").order_by("valid_from")
    return {(supplier, item): code for supplier, item, code in agreed.values_list("supplier", "item", "supplier_code")}


def in_one_currency(companies: Iterable[int]) -> dict[int, Decimal]:
    """By company (id), what one unit of its base currency is worth in that of the first of them by code.

    By the newest book rate, either way round; where there is none, 1: for putting amounts in order, not for posting.
    """
    found = list(Company.objects.filter(pk__in=list(companies)).order_by("code"))
    currencies = {company.currency for company in found}
    if len(currencies) < 2:
        return {company.pk: ONE for company in found}
    first = found[0]
    rates = ExchangeRate.objects.filter(company__in=found, currency__in=currencies, purpose="book").order_by("day")
    newest = {(rate.company_id, rate.currency): rate.rate for rate in rates}
    worth = {}
    for company in found:
        there, back = newest.get((first.pk, company.currency)), newest.get((company.pk, first.currency))
        same = company.currency == first.currency
        worth[company.pk] = ONE if same else there or (divide(ONE, back, 10) if back else ONE)
    return worth


class Calendars(dict[str, Calendar]):
    """The calendars of some countries: their public holidays, and our own days; with a site, its own come on top."""

    def __init__(self, countries: Iterable[str]):
        wanted = set(countries)
        weeks = WorkingWeek.objects.filter(country__in=wanted).values_list("country", "rest")
        rest = {country: read_rest(said) for country, said in weeks}
        self._own: dict[tuple[str, int | None, bool], set[date]] = {}
        own = Holiday.objects.filter(country__in=wanted).values_list("country", "site", "works", "day")
        for country, site, works, day in own:
            self._own.setdefault((country, site, works), set()).add(day)
        for country in wanted:
            plain = Calendar(rest.get(country, SATURDAY_SUNDAY), country=country)
            self[country] = self._with_days(plain, country, None)

    def of(self, country: str, site: int | None) -> Calendar:
        """The calendar of a site in that country; of a country no one named, Saturday and Sunday rest."""
        return self._with_days(self.get(country, USUAL), country, site) if site else self.get(country, USUAL)

    def _with_days(self, calendar: Calendar, country: str, site: int | None) -> Calendar:
        off, on = (self._own.get((country, site, works), set()) for works in (False, True))
        if not off and not on:
            return calendar
        # What a site says of a day counts more than what the country says.
        return replace(calendar, holidays=calendar.holidays - on | off, worked=calendar.worked - off | on)


def calendars_of(countries: Iterable[str]) -> Calendars:
    """The calendars of these countries, in two queries."""
    return Calendars(countries)


def forwarders() -> QuerySet[Party]:
    """Providers that forward goods, carriers that are booked directly, and those of whom nothing is said."""
    return Party.objects.filter(kind=Party.Kind.PROVIDER, service__in=("", "forwarder", "carrier"))


def carriers() -> QuerySet[Party]:
    """Providers that carry goods, and those of whom nothing is said."""
    return Party.objects.filter(kind=Party.Kind.PROVIDER, service__in=("", "carrier"))


def route_choices() -> list[tuple[str, str]]:
    """The route patterns to choose from, none first."""
    routes = RouteLeg.objects.order_by("route").values_list("route", flat=True).distinct()
    return [("", "not planned yet"), *((route, route) for route in routes)]


def route_legs() -> dict[str, list[RouteLeg]]:
    """The legs of each route pattern, in their order."""
    found: dict[str, list[RouteLeg]] = {}
    for leg in RouteLeg.objects.order_by("route", "number"):
        found.setdefault(leg.route, []).append(leg)
    return found


def places() -> list[str]:
    """The names that a leg may begin and end at: ports by code, sites, cities of suppliers."""
    cities = Party.objects.filter(kind=Party.Kind.SUPPLIER).exclude(city="")
    found = [Port.objects.values_list("code", flat=True), Site.objects.values_list("name", flat=True)]
    return sorted({name for some in (*found, cities.values_list("city", flat=True)) for name in some[:500]})


@dataclass(frozen=True)
class Deadlines:
    """Within how many days of delivery notice is given and a claim made; None where no rule says."""

    notice: int | None
    claim: int | None


def claim_deadlines(wanted: Collection[tuple[Party, str]]) -> dict[tuple[int, str], Deadlines]:
    """By party (id) and mode the days for claims: by mode where they are kept, else as the party says."""
    rows = ClaimDays.objects.filter(party__in={party.pk for party, _ in wanted})
    kept = {(one.party_id, one.mode): Deadlines(one.notice_days, one.claim_days) for one in rows}
    return {
        (party.pk, mode): kept.get((party.pk, mode)) or Deadlines(party.notice_days, party.claim_days)
        for party, mode in wanted
    }
