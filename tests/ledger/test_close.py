"""Closing a period: values at its end, mirrored on the next day; nothing posts in it; and its reopening."""

import threading
import time
from concurrent.futures import ThreadPoolExecutor
from datetime import timedelta
from decimal import Decimal as D

import pytest
from django.db import connection, transaction
from django.db.models import Sum
from django.urls import reverse

from northing.actions.billing import bills
from northing.actions.costing.charges import ChargeRequest, enter_estimate
from northing.actions.ledger import close
from northing.actions.payments import pay
from northing.core.problems import Refused
from northing.ledger.models import Account, Closing, Posting
from northing.masterdata.models import Company, ExchangeRate
from northing.reports.book_proof import book_faults
from northing.shipping.models import Shipment
from tests.billing.test_goods import bill_of, line_of
from tests.worlds import CONTAINERS, TODAY, small_world

LAST = TODAY - timedelta(days=1)


@pytest.fixture
def owed(world):
    """An advance of 50 of 184 dollars, goods afloat, half of them billed, all of it yesterday; the rate has risen."""
    of_dollars = {"company": world.nz, "currency": "USD", "purpose": "book"}
    ExchangeRate.objects.filter(**of_dollars).delete()
    ExchangeRate.objects.create(**of_dollars, day=LAST - timedelta(days=9), rate=D("1.6420"))
    order = world.sent_order({"A": D(10)})
    part = (pay.PartRequest(D("50.00"), order=order.pk),)
    head = (world.nz.pk, order.supplier_id, LAST, "USD", part)
    pay.pay(world.act("accounts"), pay.PayRequest(*head, rate=D("1.60")))
    world.say(world.shipment([order]), "departure", LAST)
    request = bill_of(order, line_of(order, "5"))
    bills.book_bill(world.act("costs"), bills.BillRequest(**request.__dict__ | {"day": LAST, "rate": D("1.65")}))
    ExchangeRate.objects.create(**of_dollars, day=LAST, rate=D("1.70"))
    return order


def standing(account, day):
    """What stands on an account of the company through a day."""
    found = Posting.objects.filter(company__code="KLN", account=account, posted_on__lte=day)
    return found.aggregate(total=Sum("amount"))["total"] or 0


def test_what_is_owed_is_worth_the_closing_rate_and_the_next_day_takes_it_back(world, owed):
    found = {one.standing.account: one for one in close.valuation(world.nz, LAST)}
    # Half of 184.00 is billed: 92.00 less 25.00 of the advance at 1.65; the other half is owed less 25.00 at 1.60.
    assert found["supplier_payable"].standing[2:] == (D("-67.00"), D("-110.55"))
    assert found["supplier_payable"].difference == D("-3.35")
    assert found["owned_not_billed"].standing[2:] == (D("-67.00"), D("-110.01"))
    assert found["owned_not_billed"].difference == D("-3.89")
    assert set(found) == {"supplier_payable", "owned_not_billed"}
    close.close_period(world.act("accounts"), close.CloseRequest(world.nz.pk, LAST))
    for account, worth in ((Account.REVALUATION, D("-7.24")), (Account.EXCHANGE_UNREALISED, D("7.24"))):
        assert standing(account, LAST) == worth and standing(account, TODAY) == 0
    assert book_faults() == []


def test_a_fact_of_a_closed_period_posts_in_the_next(world, owed):
    close.close_period(world.act("accounts"), close.CloseRequest(world.nz.pk, LAST))
    before = standing(Account.SUPPLIER_PAYABLE, LAST)
    request = bill_of(owed, line_of(owed, "5"), number="S-2")
    bills.book_bill(world.act("costs"), bills.BillRequest(**request.__dict__ | {"day": LAST}))
    assert standing(Account.SUPPLIER_PAYABLE, LAST) == before != standing(Account.SUPPLIER_PAYABLE, TODAY)


def test_only_the_last_period_opens_again_and_its_values_are_undone(world, owed):
    act = world.act("accounts")
    first = close.close_period(act, close.CloseRequest(world.nz.pk, LAST - timedelta(days=1)))
    second = close.close_period(act, close.CloseRequest(world.nz.pk, LAST))
    for closing, reason, words in ((first, "why", "closed last"), (second, " ", "Say why")):
        with pytest.raises(Refused, match=words):
            close.reopen_period(act, close.ReopenRequest(closing, reason))
    close.reopen_period(act, close.ReopenRequest(second, "a bill is missing"))
    assert Company.objects.get(pk=world.nz.pk).closed_through == LAST - timedelta(days=1)
    assert standing(Account.REVALUATION, LAST) == standing(Account.EXCHANGE_UNREALISED, LAST) == 0
    close.close_period(act, close.CloseRequest(world.nz.pk, LAST))
    assert standing(Account.REVALUATION, LAST) == D("-7.24") and book_faults() == []


@pytest.mark.parametrize(
    ("through", "words"), [(TODAY + timedelta(days=1), "has not come"), (TODAY.replace(year=1970), "1970")]
)
def test_no_period_that_cannot_be_is_closed(world, through, words):
    with pytest.raises(Refused, match=words):
        close.close_period(world.act("accounts"), close.CloseRequest(world.nz.pk, through))
    assert not Closing.objects.exists()


def test_a_period_is_closed_once(world):
    for words in ("", "closed through"):
        if words:
            with pytest.raises(Refused, match=words):
                close.close_period(world.act("accounts"), close.CloseRequest(world.nz.pk, LAST))
        else:
            close.close_period(world.act("accounts"), close.CloseRequest(world.nz.pk, LAST))


def test_the_page_shows_closes_and_opens_again(world, owed, signed_in):
    page, url = signed_in("accounts"), reverse("close-period")
    assert page.get(url).status_code == 200
    asked = {"company": world.nz.pk, "through": LAST.isoformat(), "key": "k"}
    shown = page.post(url, asked | {"act": "show"})
    assert b"110.01" in shown.content and b"7.24" in shown.content and not Closing.objects.exists()
    assert page.post(url, asked | {"act": "close"}).url == url
    assert page.post(url, asked | {"act": "close", "key": "l"}).status_code == 422
    opened = page.post(reverse("reopen-period", args=[Closing.objects.get().pk]), {"reason": "late", "key": "m"})
    assert opened.url == url and Company.objects.get(pk=world.nz.pk).closed_through is None


@pytest.mark.django_db(transaction=True)
def test_a_period_is_closed_after_what_is_being_posted_in_it():
    world = small_world()
    order = world.sent_order({"A": D(10)})
    posted, ended = threading.Event(), []
    request = pay.PayRequest(
        world.nz.pk, order.supplier_id, TODAY, "USD", (pay.PartRequest(D("50.00"), order=order.pk),), rate=D("1.60")
    )

    def pay_slowly():
        with transaction.atomic():
            pay.pay(world.act("accounts"), request)
            posted.set()
            time.sleep(0.5)
            ended.append("paid")
        connection.close()

    def close_meanwhile():
        posted.wait(10)
        close.close_period(world.act("accounts"), close.CloseRequest(world.nz.pk, TODAY))
        ended.append("closed")
        connection.close()

    with ThreadPoolExecutor(2) as hands:
        for done in [hands.submit(pay_slowly), hands.submit(close_meanwhile)]:
            done.result()
    assert ended == ["paid", "closed"]


def test_billed_freight_of_goods_on_their_way_is_no_money(world, owed):
    """300.00 billed are owed to the forwarder and valued; what waits for the goods is cost, and is not."""
    shipment = Shipment.objects.get()
    world.charge(shipment, "freight", "300.00", "USD", "volume", day=LAST - timedelta(days=9))
    estimate = ChargeRequest(
        world.nz.pk, world.parties["provider"].pk, "haulage", "volume", "USD", D("80"), LAST, (shipment.pk,)
    )
    enter_estimate(world.act("costs"), estimate)
    found = {one.standing.account: one for one in close.valuation(world.nz, LAST)}
    assert found["provider_payable"].standing[2:] == (D("-300.00"), D("-492.60"))
    assert found["provider_payable"].difference == D("-17.40")
    assert "accrued_charges" not in found


def test_what_companies_owe_each_other_is_money(world, owed):
    """Freight that NZ pays in dollars for goods of both: the part of AU is owed to it, in dollars."""
    theirs = world.sent_order({"A": D(10)}, company=world.au)
    both = world.shipment([world.sent_order({"A": D(10)}), theirs], CONTAINERS[1])
    for currency in ("USD", "NZD"):
        ExchangeRate.objects.get_or_create(
            company=world.au, currency=currency, purpose="book", day=LAST - timedelta(days=9), defaults={"rate": D(1)}
        )
    world.charge(both, "freight", "300.00", "USD", "volume", day=LAST - timedelta(days=9))
    found = {one.standing.account: one for one in close.valuation(world.nz, LAST)}
    assert found["due_from"].standing[2] == D("150.00")
    assert found["due_from"].standing[3] == D("246.30")
