"""Rates of a central bank: asked for by the worker, crossed through the euro, asked about where they jump."""

from dataclasses import dataclass
from datetime import date, datetime, timedelta
from decimal import Decimal

from django.conf import settings
from django.db import transaction

from northing.access.acts import Act
from northing.access.permissions import require_of_all
from northing.actions.worklist.rates import refresh_rates, refresh_rates_of
from northing.activity.operations import add_history, once
from northing.core.money.cross_rates import change, cross_rate, jumped
from northing.core.problems import Problem, Refused, refuse_if
from northing.database.connections import release_connection
from northing.drawings.figures import price
from northing.formats.euro_rates import EuroRates, NotRates, read_euro_rates
from northing.integrations.reading import Unreachable, read_from
from northing.ledger import operations as ledger
from northing.ledger.models import AskedRate, RateFeed
from northing.masterdata import operations as masterdata
from northing.masterdata.models import Company, ExchangeRate, Party

SOURCE = "central bank, through the euro"
LONGEST_WAIT = timedelta(hours=4)
# Of a longer history only so much is taken.
LARGEST = Decimal(10) ** 9
BACK, YEAR = timedelta(days=14), timedelta(days=370)


@dataclass(frozen=True)
class RateFeedRequest:
    """Where a central bank's rates are, for which purposes they count, how often they are asked for."""

    url: str
    purposes: tuple[str, ...] = ("book",)
    every_minutes: int = 60
    active: bool = True


@dataclass(frozen=True)
class SettleRequest:
    """A rate that is asked about (id): it is right, or it is dropped."""

    rate: int
    believed: bool


@once
def set_rate_feed(act: Act, request: RateFeedRequest) -> int:
    """Set where rates are asked for. Returns the feed's id."""
    every = Company.objects.values_list("pk", flat=True)
    require_of_all(act.person, ["enter_rate"], every, "the rates of a bank")
    problems = []
    if not request.url.startswith(("http://", "https://")) or len(request.url) > 200:
        problems.append(Problem("Enter an address that begins with https://.", "url"))
    if not request.purposes or not set(request.purposes) <= set(ExchangeRate.Purpose.values):
        problems.append(Problem("Choose what its rates are for.", "purposes"))
    if not 1 <= request.every_minutes <= 1_440:
        problems.append(Problem("Ask between every minute and once a day.", "every_minutes"))
    refuse_if(problems)
    feed = ledger.keep_rate_feed(act, request.url, " ".join(request.purposes), request.every_minutes, request.active)
    words = "Rates are asked for at" if request.active else "Rates are not asked for any more at"
    add_history(act, "set_rate_feed", f"{words} {feed.url}, every {feed.every_minutes} minutes", [("rates", 0, None)])
    return feed.pk


def poll_due(now: datetime) -> list[str]:
    """Ask for rates where it is time; returns a sentence about each."""
    due = RateFeed.objects.filter(active=True, next_at__lte=now).select_related("set_by")
    return [poll(feed, now) for feed in due]


def poll(feed: RateFeed, now: datetime, content: bytes | None = None) -> str:
    """Ask for rates and take them in; returns a sentence. What fails is tried again, later and later."""
    said, wrong = "", True
    try:
        release_connection()
        if content is None:
            content, _ = read_from(feed.url, "application/xml", private=settings.PRIVATE_ADDRESSES)
        days = read_euro_rates(content)
        with transaction.atomic():
            said, wrong = _take(feed, Act(feed.set_by, now, channel="feed"), days), False
    except (Unreachable, NotRates) as error:
        said = str(error)
    failures = feed.failures + 1 if wrong else 0
    every = timedelta(minutes=feed.every_minutes)
    wait = max(min(every * 2 ** min(failures, 8), LONGEST_WAIT), every)
    ledger.note_rate_poll(feed, now, now + wait, failures, said)
    return said


def _take(feed: RateFeed, act: Act, days: list[EuroRates]) -> str:
    """Take in what is new, the oldest day first, for every company and each currency that is dealt in."""
    taken = [one for one in reversed(days) if act.today - BACK <= one.day <= act.today]
    wanted, new, asked = currencies_in_use(), 0, 0
    for company in Company.objects.order_by("pk"):
        for purpose in feed.purposes.split():
            known = Known(company, purpose, act.today)
            for one in taken:
                made = _take_day(act, known, one, wanted - {company.currency})
                new, asked = new + made[0], asked + made[1]
    newest = f"the newest are of {days[0].day:%-d %b %Y}"
    if days[0].day > act.today:
        newest = f"those of {days[0].day:%-d %b %Y} are of a day to come and left out"
    return f"{new} new rates{f', {asked} asked about' if asked else ''}; {newest}"


def currencies_in_use() -> set[str]:
    """The currencies that partners are dealt with in, and those of companies."""
    of_parties = Party.objects.values_list("currency", flat=True).distinct()
    return set(of_parties) | set(Company.objects.values_list("currency", flat=True))


class Known:
    """A company's rates of a purpose of the last year, and those of the last days that were asked about."""

    def __init__(self, company: Company, purpose: str, today: date):
        self.company, self.purpose = company, purpose
        rates = ExchangeRate.objects.filter(company=company, purpose=purpose, day__gte=today - YEAR)
        self._rates: dict[str, dict[date, Decimal]] = {}
        for currency, day, rate in rates.values_list("currency", "day", "rate"):
            self._rates.setdefault(currency, {})[day] = rate
        asked = AskedRate.objects.filter(company=company, purpose=purpose, day__gte=today - YEAR)
        self._asked = set(asked.values_list("currency", "day"))

    def has(self, currency: str, day: date) -> bool:
        """Whether the rate of a day is there, or was asked about."""
        return day in self._rates.get(currency, {}) or (currency, day) in self._asked

    def before(self, currency: str, day: date) -> Decimal | None:
        """The newest rate before a day."""
        earlier = [one for one in self._rates.get(currency, {}) if one < day]
        return self._rates[currency][max(earlier)] if earlier else None

    def add(self, currency: str, day: date, rate: Decimal) -> None:
        """A rate that is new."""
        self._rates.setdefault(currency, {})[day] = rate


def _take_day(act: Act, known: Known, one: EuroRates, wanted: set[str]) -> tuple[int, int]:
    """Returns how many rates of a day are new, and how many are asked about."""
    company, told, asked = known.company, [], []
    for currency in sorted(wanted):
        rate = cross_rate(one.rates, company.currency, currency)
        # Beyond this is no rate, but a mistake that no column would hold.
        if not rate or rate > LARGEST or known.has(currency, one.day):
            continue
        before = known.before(currency, one.day)
        if before is not None and jumped(rate, before):
            facts = {"company": company, "currency": currency, "purpose": known.purpose, "day": one.day}
            asked.append(AskedRate(**facts, rate=rate, before=before, said_at=act.at, source=SOURCE))
            continue
        masterdata.enter_rate(company, currency, known.purpose, one.day, rate, act.today, SOURCE)
        known.add(currency, one.day, rate)
        told.append(f"{currency} {price(rate, 4)}")
    if asked:
        ledger.ask_rates(asked)
        refresh_rates_of(company.pk)
    if told:
        words = f"{known.purpose.capitalize()} rates of {one.day:%-d %b %Y}, {SOURCE}: {', '.join(told)}"
        add_history(act, "take_rates", words, [("company", company.pk, company.pk)], one.day)
    return len(told), len(asked)


@once
def settle_rate(act: Act, request: SettleRequest) -> int:
    """A rate that is asked about is right and counts from its day on, or is dropped. Returns its id."""
    asked = AskedRate.objects.select_for_update().select_related("company").get(pk=request.rate)
    act.require("enter_rate", asked.company_id)
    if asked.settled_at:
        said = "believed" if asked.believed else "dropped"
        raise Refused(Problem(f"The rate was {said} on {asked.settled_at:%-d %b %Y}.", mend="Reload the page."))
    which = {"company": asked.company, "currency": asked.currency, "purpose": asked.purpose, "day": asked.day}
    if request.believed and ExchangeRate.objects.filter(**which).exists():
        what = f"A rate of {asked} was entered meanwhile."
        raise Refused(Problem(what, mend="Drop this one; or correct that one by hand."))
    if request.believed:
        facts = (asked.currency, asked.purpose, asked.day, asked.rate)
        masterdata.enter_rate(asked.company, *facts, act.today, asked.source)
    ledger.settle_rate(asked, act, believed=request.believed)
    refresh_rates([asked.pk])
    done = "Believed" if request.believed else "Dropped"
    words = (
        f"{done} the rate of {asked}: {price(asked.rate, 4)}, {change(asked.rate, asked.before)} % from the one before"
    )
    add_history(act, "settle_rate", words, [("company", asked.company_id, asked.company_id)], asked.day)
    return asked.pk
