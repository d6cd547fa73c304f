"""Stakes of companies with different base currencies are put in order by what they are worth in one."""

from decimal import Decimal as D

from northing.masterdata.models import ExchangeRate
from northing.masterdata.queries import in_one_currency
from northing.web.worklist.views import _dearest_first
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
    found = _dearest_first(Matter.objects.filter(record__in=[1, 2]), {world.nz.pk, world.au.pk})
    assert list(found.values_list("record", flat=True)) == [1, 2]
    alone = _dearest_first(Matter.objects.filter(record__in=[1, 2]), {world.nz.pk})
    assert list(alone.values_list("record", flat=True)) == [2, 1]


def test_without_a_rate_numbers_are_compared_as_they_are(world):
    ExchangeRate.objects.filter(currency__in=["NZD", "AUD"]).delete()
    assert set(in_one_currency({world.nz.pk, world.au.pk}).values()) == {1}
