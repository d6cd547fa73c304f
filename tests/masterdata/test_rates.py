"""Rates of a central bank: read, crossed, taken in once, and asked about where they jump."""

from datetime import timedelta
from decimal import Decimal as D

import pytest
from django.urls import reverse
from django.utils import timezone

from northing.access.models import Person
from northing.actions.masterdata import rate_feed, records
from northing.actions.masterdata.rate_feed import RateFeedRequest, SettleRequest
from northing.actions.masterdata.rates import RateRequest, enter_rate
from northing.actions.worklist.proof import move_faults
from northing.core.problems import NotAllowed, Refused
from northing.formats.euro_rates import NotRates, read_euro_rates
from northing.integrations.bank.standin import document, published_on, rates_on, serve
from northing.integrations.reading import Unreachable, read_from
from northing.ledger.models import AskedRate, RateFeed
from northing.masterdata.models import ExchangeRate
from northing.masterdata.queries import Rates, rate_for
from northing.worklist.models import Matter
from tests.worlds import NOW, TODAY

EUROS = {"USD": D("1.0850"), "NZD": D("1.7815"), "AUD": D("1.6344"), "XXQ": D(1)}
DAY, XML = TODAY - timedelta(days=1), "application/xml"


@pytest.fixture
def feed(world):
    ExchangeRate.objects.filter(day=TODAY).delete()
    rate_feed.set_rate_feed(world.act("costs"), RateFeedRequest("https://bank.example/daily.xml"))
    return RateFeed.objects.get()


def said(day=DAY, **rates):
    return document(day, EUROS | {name: D(rate) for name, rate in rates.items()})


def rate_of(world, currency, day=TODAY):
    return ExchangeRate.objects.filter(company=world.nz, currency=currency, purpose="book", day=day).first()


def test_rates_are_crossed_through_the_euro_and_taken_in_once(world, feed):
    assert rate_feed.poll(feed, NOW, said()) == "6 new rates; the newest are of 23 Nov 2026"
    # 1.7815 / 1.0850, and 1.7815 for the euro itself.
    assert rate_of(world, "USD", DAY).rate == D("1.6419354839")
    assert rate_of(world, "EUR", DAY).rate == D("1.7815")
    assert rate_of(world, "USD", DAY).source == "central bank, through the euro"
    assert ExchangeRate.objects.filter(company=world.au, currency="NZD", day=DAY).get().rate == D("0.9174291328")
    assert rate_for(world.nz, "USD", DAY) == D("1.6419354839")
    assert rate_feed.poll(feed, NOW, said()).startswith("0 new rates;")


def test_what_a_person_entered_stays(world, feed):
    enter_rate(world.act("costs"), RateRequest(world.nz.pk, "USD", "book", DAY, D("1.65")))
    rate_feed.poll(feed, NOW, said())
    assert rate_of(world, "USD", DAY).rate == D("1.65")


def test_a_jump_is_asked_about_and_counts_only_once_it_is_believed(world, feed):
    # The dollar is worth 40 % more than on the day before.
    assert "asked about" in rate_feed.poll(feed, NOW, said(USD="0.7750"))
    asked = AskedRate.objects.get(company=world.nz, currency="USD")
    assert rate_of(world, "USD", DAY) is None and rate_of(world, "EUR", DAY)
    assert rate_feed.poll(feed, NOW, said(USD="0.7750")).startswith("0 new rates;")
    with pytest.raises(NotAllowed):
        rate_feed.settle_rate(world.act("dock"), SettleRequest(asked.pk, True))
    rate_feed.settle_rate(world.act("costs"), SettleRequest(asked.pk, True))
    assert rate_of(world, "USD", DAY).rate == D("2.2987096774")
    with pytest.raises(Refused, match="was believed"):
        rate_feed.settle_rate(world.act("costs"), SettleRequest(asked.pk, False))


def test_the_watch_carries_the_question_and_its_answer(world, feed, signed_in):
    rate_feed.poll(feed, NOW, said(USD="0.7750"))
    asked = AskedRate.objects.get(company=world.nz, currency="USD")
    matter = Matter.objects.get(kind="rate", record=asked.pk)
    assert (matter.party, matter.company) == ("accounts", world.nz) and "is it right?" in matter.reason
    desk, address = signed_in("accounts"), reverse("asked-rate", args=[asked.pk])
    page = desk.get(reverse("watch")).content.decode()
    assert address in page and "book rate, 2.2987096774 NZD" in page and move_faults() == []
    answer = desk.post(address, {"key": "k", "drop": "yes", "back": reverse("watch")})
    assert answer.url == reverse("watch") and not Matter.objects.filter(kind="rate", record=asked.pk).exists()
    assert rate_of(world, "USD", DAY) is None and move_faults() == []


def test_a_rate_that_a_person_entered_meanwhile_stays(world, feed):
    rate_feed.poll(feed, NOW, said(USD="0.7750"))
    enter_rate(world.act("costs"), RateRequest(world.nz.pk, "USD", "book", DAY, D("1.66")))
    asked = AskedRate.objects.get(company=world.nz, currency="USD")
    with pytest.raises(Refused, match="was entered meanwhile"):
        rate_feed.settle_rate(world.act("costs"), SettleRequest(asked.pk, True))
    assert rate_of(world, "USD", DAY).rate == D("1.66")
    rate_feed.settle_rate(world.act("costs"), SettleRequest(asked.pk, False))


def test_a_rate_that_a_file_corrects_is_the_banks_no_more(world, feed):
    rate_feed.poll(feed, NOW, said())
    facts = {"company": "KLN", "currency": "USD", "purpose": "book", "day": str(DAY), "rate": "1.64"}
    records.keep_rows(world.act("costs"), records.RowsRequest("rate", ((2, tuple(facts.items())),)))
    found = rate_of(world, "USD", DAY)
    assert (found.rate, found.source) == (D("1.64"), "")


def test_pages_and_bookings_take_the_same_rate(world):
    """A purpose whose rates are all too old has no rate; only one without any takes the book rate."""
    company = world.nz
    ExchangeRate.objects.filter(currency="USD", purpose="customs").delete()
    old = {"currency": "USD", "purpose": "customs", "rate": D("1.5"), "day": TODAY - timedelta(days=800)}
    ExchangeRate.objects.create(company=company, **old)
    assert Rates(TODAY, "customs", Rates(TODAY)).known(company, "USD") is None
    with pytest.raises(Refused):
        rate_for(company, "USD", TODAY, "customs")
    ExchangeRate.objects.filter(currency="USD", purpose="customs").delete()
    assert Rates(TODAY, "customs").of(company, "USD") == rate_for(company, "USD", TODAY, "customs") == D("1.6420")


def test_a_rate_beyond_all_measure_is_left_out(world, feed):
    ExchangeRate.objects.all().delete()
    tiny = said(USD="0.1111111111").replace(b"0.1111111111", b"0.0000000001")
    assert "new rates" in rate_feed.poll(feed, NOW, tiny)
    assert rate_of(world, "USD", DAY) is None and rate_of(world, "EUR", DAY)


def test_a_jump_that_is_dropped_is_not_asked_about_again(world, feed):
    rate_feed.poll(feed, NOW, said(USD="0.7750"))
    for asked in AskedRate.objects.all():
        rate_feed.settle_rate(world.act("costs"), SettleRequest(asked.pk, False))
    assert rate_feed.poll(feed, NOW, said(USD="0.7750")).startswith("0 new rates;")
    # The next day's is held against the last that was believed.
    assert rate_feed.poll(feed, NOW, said(TODAY)).startswith("6 new rates;")


def test_a_day_that_has_not_come_is_left_out(world, feed):
    told = rate_feed.poll(feed, NOW, said(TODAY + timedelta(days=1)))
    assert told == "0 new rates; those of 25 Nov 2026 are of a day to come and left out"


@pytest.mark.parametrize(
    "content, words",
    [
        (b"", "no XML"),
        (b"<a/>", "no Cube of a day"),
        (b"<!DOCTYPE a [<!ENTITY b 'c'>]><a>&b;</a>", "declares a document type"),
        (b"<a><Cube time='soon'/></a>", "is no day"),
        (b"<a><Cube time='2026-11-23'/></a>", "no rates of"),
        (b"<a><Cube time='2026-11-23'><Cube currency='USD' rate='0'/></Cube></a>", "not above 0"),
        (b"<a><Cube time='2026-11-23'><Cube currency='USD' rate='1e3'/></Cube></a>", "is no number"),
        (b"<a><Cube time='2026-11-23'>%b</Cube></a>" % (b"<Cube currency='USD' rate='1'/>" * 2), "names USD twice"),
    ],
)  # fmt: skip
def test_a_document_that_says_no_rates_changes_nothing(world, feed, content, words):
    before = ExchangeRate.objects.count()
    assert words in rate_feed.poll(feed, NOW, content)
    feed.refresh_from_db()
    assert feed.failures == 1 and feed.next_at > NOW + timedelta(minutes=60)
    assert ExchangeRate.objects.count() == before
    with pytest.raises(NotRates):
        read_euro_rates(content)


def test_the_stand_in_speaks_over_the_network(world, feed, settings):
    settings.PRIVATE_ADDRESSES = True
    server = serve(lambda: TODAY, 0)
    try:
        feed.url = f"http://127.0.0.1:{server.server_port}/daily.xml"
        (found,) = read_euro_rates(read_from(feed.url, XML, private=True)[0])
        assert found.day == published_on(TODAY) and set(found.rates) >= {"USD", "NZD"}
        with pytest.raises(Unreachable, match="private network"):
            read_from(feed.url, XML, private=False)
        with pytest.raises(Unreachable, match="404"):
            read_from(feed.url.replace("daily", "weekly"), XML, private=True)
    finally:
        server.shutdown()
    assert "cannot be reached" in rate_feed.poll(feed, NOW)


def test_the_stand_in_has_the_faults_of_real_ones():
    days = [TODAY - timedelta(days=ago) for ago in range(200)]
    late = [day for day in days if day.weekday() < 5 and published_on(day) != day]
    jumps = [
        day
        for day in days
        if any(rates_on(day, {"USD": "1"}).values()) and rates_on(day, {"USD": "1"})["USD"] > D("1.3")
    ]
    assert 2 <= len(late) <= 20 and 1 <= len(jumps) <= 15
    assert all(published_on(day).weekday() < 5 for day in days)


@pytest.mark.parametrize(
    "said, words",
    [
        ({"rate": D(0)}, "above 0"),
        ({"day": TODAY + timedelta(days=1)}, "not come yet"),
        ({"day": TODAY.replace(year=1970)}, "not plausible"),
        ({"currency": "NZD"}, "base currency"),
        ({"currency": "XQX"}, "not an ISO 4217"),
    ],
)
def test_a_rate_that_cannot_be(world, said, words):
    asked = {"company": world.nz.pk, "currency": "USD", "purpose": "book", "day": TODAY, "rate": D("1.6")} | said
    with pytest.raises(Refused, match=words):
        enter_rate(world.act("costs"), RateRequest(**asked))
    # Customs offices say theirs ahead.
    ahead = RateRequest(world.nz.pk, "USD", "customs", TODAY + timedelta(days=7), D("1.6"))
    assert enter_rate(world.act("costs"), ahead)


def test_the_page_says_who_needs_a_rate_and_asks(world, feed, client):
    world.sent_order({"A": D(10)})
    ExchangeRate.objects.filter(currency="USD", purpose="book", day__gt=TODAY - timedelta(days=7)).delete()
    rate_feed.poll(feed, NOW, said(USD="0.7750"))
    client.force_login(Person.objects.get(username="costs"))
    page = client.get(reverse("rates")).content.decode()
    assert "The newest rate is 7 days old" in page and "1 open order line" in page and "Is this right?" in page
    asked = AskedRate.objects.get(company=world.nz, currency="USD")
    client.post(reverse("asked-rate", args=[asked.pk]), {"key": "a", "drop": ""})
    assert AskedRate.objects.get(pk=asked.pk).settled_at and not rate_of(world, "USD", DAY)
    wrong = client.post(
        reverse("rate-feed"), {"key": "b", "url": "ftp://x", "purposes": ["book"], "every_minutes": "5"}
    )
    assert wrong.status_code == 422 and "https://" in wrong.content.decode()
    facts = {"key": "c", "url": "https://y.example/", "purposes": ["book", "bill"], "every_minutes": "5"}
    assert client.post(reverse("rate-feed"), facts).status_code == 302
    assert RateFeed.objects.get().purposes == "book bill" and not RateFeed.objects.get().active
    assert timezone.now() >= RateFeed.objects.get().next_at
