"""Stakes of companies with different base currencies are put in order by what they are worth in one."""

from datetime import timedelta
from decimal import Decimal as D
from itertools import product

from northing.masterdata.models import ExchangeRate
from northing.masterdata.queries import in_one_currency
from northing.web.worklist.dearest import counted, dearest
from northing.worklist.models import Matter
from tests.worlds import TODAY


def test_two_base_currencies(world):
    ExchangeRate.objects.filter(currency__in=["NZD", "AUD"]).delete()
    ExchangeRate.objects.create(company=world.nz, currency="AUD", purpose="book", day=TODAY, rate=D("0.5"))
    worth = in_one_currency({world.nz.pk, world.au.pk})
    # The first by code is the Australian one: a New Zealand dollar is worth two of its own.
    assert worth == {world.au.pk: 1, world.nz.pk: 2}
    facts = {"party": "us", "reason": "x", "since": TODAY, "kind": "order"}
    Matter.objects.create(record=1, company=world.nz, at_stake=D(60), changed_at=world.act("viewer").at, **facts)
    Matter.objects.create(record=2, company=world.au, at_stake=D(100), changed_at=world.act("viewer").at, **facts)
    found = dearest(Matter.objects.filter(record__in=[1, 2]), {world.nz.pk, world.au.pk}, 0, 10)
    assert [one.record for one in found] == [1, 2]
    assert [one.record for one in dearest(Matter.objects.all(), {world.nz.pk}, 0, 10)] == [1]


def test_the_dearest_come_first_and_pages_follow_each_other(world):
    days, parties = (None, -3, 0, 5, 7, 8, 30), ("us", "supplier")
    rows = [
        Matter(
            kind="order",
            record=place,
            company=company,
            party=parties[place % 2],
            reason="x",
            since=TODAY,
            due=None if day is None else TODAY + timedelta(days=day),
            at_stake=D(place * 37 % 11),
            per_day=D(place % 3),
        )
        for place, (day, company) in enumerate(product(days * 3, (world.nz, world.au)))
    ]
    Matter.objects.bulk_create(rows)
    worth = in_one_currency({world.nz.pk, world.au.pk})

    def place_of(one):
        soon = one.party == "us" or (one.due and one.due <= TODAY + timedelta(days=7))
        urgency = 0 if one.due and one.due < TODAY else 1 if soon else 2
        dear = (one.at_stake + one.per_day * 30) * worth[one.company_id]
        return urgency, -dear, one.due is None, one.due or TODAY, one.pk

    wanted = [one.pk for one in sorted(rows, key=place_of)]
    pages = [dearest(Matter.objects.all(), set(worth), first, first + 10) for first in range(0, len(rows) + 10, 10)]
    assert [one.pk for page in pages for one in page] == wanted and dearest(Matter.objects.all(), (), 0, 10) == []
    assert counted(Matter.objects.all(), "party", [*parties, "dock"]) == {"us": 21, "supplier": 21}


def test_without_a_rate_numbers_are_compared_as_they_are(world):
    ExchangeRate.objects.filter(currency__in=["NZD", "AUD"]).delete()
    assert set(in_one_currency({world.nz.pk, world.au.pk}).values()) == {1}
