"""Free time: how long a container may stand, and what it costs when it stands longer.

Demurrage is for a full container at the port, detention for ours outside of it, until the empty is back. Everything
that carriers do differently is data: what starts and ends the clock, whether the first day counts, in which days the
free part and the paid part are counted, and a price for each further stretch of days.
"""

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from datetime import date
from decimal import Decimal

from northing.core.money.exact import read_exact
from northing.core.money.money import rounded
from northing.core.planning.calendars import DAY, USUAL, Calendar, counts

# No one lets a container stand longer than this; what counts days stops there.
LONGEST = 3_660
ZERO = Decimal(0)


@dataclass(frozen=True, slots=True)
class Tier:
    """A price for each paid day, from the `first` paid day on (1 is the first)."""

    first: int
    price: Decimal


@dataclass(frozen=True, slots=True)
class Terms:
    """Free time as a carrier grants it; tiers in the order of their first days, the first of them from day 1."""

    free_days: int
    first_day_counts: bool
    free_in: str
    paid_in: str
    tiers: tuple[Tier, ...]
    currency: str


@dataclass(frozen=True, slots=True)
class Clock:
    """Where a container's free time stands: the last free day, the paid days so far, and what the next one costs."""

    free_until: date
    paid_days: int
    cost: Decimal
    next_day: Decimal
    running: bool
    # Whether tomorrow is a day that may cost.
    free_over: bool


def last_free_day(terms: Terms, started: date, calendar: Calendar = USUAL) -> date:
    """The last day that costs nothing. Without free days it is the day before the first that counts.

    >>> terms = Terms(5, True, "calendar", "calendar", (Tier(1, Decimal(80)),), "USD")
    >>> last_free_day(terms, date(2026, 11, 20)).isoformat()
    '2026-11-24'
    """
    day = started if terms.first_day_counts else started + DAY
    left = terms.free_days
    for one in _days(day):
        if left == 0:
            return one - DAY
        if counts(one, terms.free_in, calendar):
            left -= 1
    raise AssertionError("unreachable")


def clock(terms: Terms, started: date, ended: date | None, today: date, calendar: Calendar = USUAL) -> Clock:
    """The clock of a container on `today`; the day on which it ended counts, today counts while it runs.

    Paid days are counted from the day after the last free one, in the days that the paid part is counted in.
    """
    free_until = last_free_day(terms, started, calendar)
    through = today if ended is None else min(ended, today)
    paid = sum(
        1
        for number in range(min((through - free_until).days, LONGEST))
        if counts(free_until + (number + 1) * DAY, terms.paid_in, calendar)
    )
    cost = sum((price_of(terms.tiers, number) for number in range(1, paid + 1)), ZERO)
    running = ended is None or ended > today
    following = price_of(terms.tiers, paid + 1) if running else ZERO
    return Clock(free_until, paid, rounded(cost, terms.currency), following, running, running and today >= free_until)


def price_of(tiers: Sequence[Tier], number: int) -> Decimal:
    """The price of the paid day of that number.

    >>> price_of((Tier(1, Decimal(80)), Tier(6, Decimal(120))), 6)
    Decimal('120')
    """
    return next((tier.price for tier in reversed(tiers) if tier.first <= number), ZERO)


def _days(first: date) -> Iterator[date]:
    for number in range(LONGEST * 4):
        yield first + number * DAY


def read_tiers(text: str) -> tuple[Tier, ...]:
    """Tiers as people write them: the first paid day and its price, apart by semicolons. Raises ValueError in words.

    >>> read_tiers("1: 80; 6: 120.50")
    (Tier(first=1, price=Decimal('80')), Tier(first=6, price=Decimal('120.50')))
    """
    tiers = []
    for part in filter(None, (one.strip() for one in text.split(";"))):
        first, _, price = (one.strip() for one in part.partition(":"))
        if not (first.isascii() and first.isdigit() and 0 < int(first) <= LONGEST):
            raise ValueError(f"{part[:20]!r} does not begin with a day's number; write 1: 80; 6: 120")
        try:
            tiers.append(Tier(int(first), read_exact(price)))
        except ValueError:
            raise ValueError(f"{part[:20]!r} has no price with a decimal point; write 1: 80; 6: 120") from None
        if not ZERO <= tiers[-1].price < Decimal(10) ** 9:
            raise ValueError(f"{part[:20]!r} is no price from 0 on")
    if not tiers or tiers[0].first != 1:
        raise ValueError("must begin with day 1; write 1: 80; 6: 120")
    if any(before.first >= after.first for before, after in zip(tiers, tiers[1:], strict=False)):
        raise ValueError("must name later and later days")
    return tuple(tiers)
