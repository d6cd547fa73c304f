"""Payments: what is refused, what they settle to the cent, and many bills at once."""

from dataclasses import replace
from datetime import timedelta
from decimal import Decimal as D

import pytest
from django.urls import reverse

from northing.actions.billing import bills
from northing.actions.billing.request import of_one
from northing.actions.costing import charges
from northing.actions.payments import pay, pay_many
from northing.actions.reversal import ReverseRequest
from northing.billing.models import Bill
from northing.core.problems import NotAllowed, Refused
from northing.jobs import jobs
from northing.jobs.models import Job
from northing.ledger.models import Account, Entry
from northing.masterdata.models import BankAccount, Party, PaymentTerms
from northing.payments.models import Payment
from northing.payments.queries import open_advances
from northing.reports.aging import aging
from northing.reports.book_proof import book_faults
from northing.reports.due_days import owed_by_day
from northing.reports.open_bills import open_bills, with_settlement
from northing.reports.remittance import remittance_advice
from northing.web.payments import views
from tests.across.test_worked_case import balance
from tests.billing.test_goods import bill_of, line_of
from tests.worlds import TODAY


def haulage(world, number, amount="100.00", currency="NZD", day=TODAY, order=None):
    """A provider's bill."""
    order = order or world.sent_order({"C": D(5)})
    asked = charges.ChargeRequest(
        world.nz.pk, world.parties["provider"].pk, "haulage", "quantity", currency, D(amount), day,
        lines=(order.lines.get().pk,),
    )  # fmt: skip
    return Bill.objects.get(pk=bills.book_bill(world.act("costs"), of_one(asked, number)))


def paying(bill, amount, **more):
    part = pay.PartRequest(D(amount), bill=bill.pk, discount=more.pop("discount", D(0)))
    return pay.PayRequest(bill.company_id, bill.party_id, TODAY, bill.currency, (part,), **more)


@pytest.mark.parametrize(
    ("change", "words"),
    [
        ({"parts": ()}, "Nothing is paid"),
        ({"currency": "XYZ"}, "not an ISO 4217 currency"),
        ({"currency": "USD"}, "is in NZD"),
        ({"rate": D(-1)}, "A rate is above 0"),
        ({"bank": D(-100)}, "amount above 0"),
        ({"bank": D("99.00")}, "left the bank"),
        ({"charges": D(-1)}, "not below 0"),
        ({"day": TODAY + timedelta(days=1)}, "has not come yet"),
        ({"day": TODAY.replace(year=1970)}, "1970"),
        ({"account": 999_999}, "no account of the company"),
        ({"party": 999_999}, "Choose who is paid"),
    ],
)
def test_a_payment_that_cannot_be_is_refused_in_words(world, change, words):
    request = replace(paying(haulage(world, "H-1"), "100.00"), **change)
    entries = Entry.objects.count()
    with pytest.raises(Refused, match=words):
        pay.pay(world.act("accounts"), request)
    assert not Payment.objects.exists() and Entry.objects.count() == entries


@pytest.mark.parametrize(
    ("part", "words"),
    [
        ({"amount": D("100.01")}, "NZD 100.00 is open of Bill H-1"),
        ({"amount": D("99.00"), "discount": D("1.01")}, "NZD 100.00 is open"),
        ({"amount": D(0)}, "no amount in NZD to be paid"),
        ({"amount": D("-5")}, "no amount in NZD to be paid"),
        ({"amount": D("1.001")}, "no amount in NZD to be paid"),
        ({"discount": D("-1")}, "no discount"),
        ({"bill": 999_999}, "no bill of this party"),
        ({"bill": None, "order": 999_999}, "no order of this supplier"),
        ({"bill": None, "order": 999_999, "discount": D(1)}, "not off an advance"),
    ],
)
def test_a_part_that_cannot_be_is_refused_in_words(world, part, words):
    request = paying(haulage(world, "H-1"), "100.00")
    with pytest.raises(Refused, match=words):
        pay.pay(world.act("accounts"), replace(request, parts=(replace(request.parts[0], **part),)))


def test_a_bill_is_not_paid_twice(world):
    bill = haulage(world, "H-1")
    pay.pay(world.act("accounts", "one"), paying(bill, "100.00"))
    pay.pay(world.act("accounts", "one"), paying(bill, "100.00"))
    assert Payment.objects.count() == 1, "the same form sent twice"
    with pytest.raises(Refused, match="NZD 0.00 is open"):
        pay.pay(world.act("accounts"), paying(bill, "100.00"))


def test_parts_discount_charges_and_the_banks_own_figure_leave_nothing(world):
    bill = haulage(world, "H-1", "100.00", "USD")
    assert balance(Account.PROVIDER_PAYABLE, world.nz) == D("-164.20")
    pay.pay(world.act("accounts"), paying(bill, "33.33", rate=D("1.70")))
    last = paying(bill, "64.67", discount=D("2.00"), bank=D("109.00"), charges=D("15.00"))
    key = pay.pay(world.act("accounts"), last)
    assert balance(Account.PROVIDER_PAYABLE, world.nz) == 0
    # 33.33 at 1.70 is 56.66, against 54.73 of 164.20; the discount is 2.00 of the 109.47 that is left for 66.67.
    assert balance(Account.DISCOUNTS_TAKEN, world.nz) == D("-3.28")
    assert balance(Account.BANK, world.nz) == D("-180.66") and balance(Account.BANK_CHARGES, world.nz) == 15
    assert balance(Account.EXCHANGE, world.nz) == D("1.93") + D("109.00") + D("3.28") - D("109.47")
    assert book_faults() == []
    pay.reverse_payment(world.act("accounts"), ReverseRequest(key, "not sent"))
    assert book_faults() == [] and balance(Account.DISCOUNTS_TAKEN, world.nz) == 0
    with pytest.raises(Refused, match="is reversed already"):
        pay.reverse_payment(world.act("accounts"), ReverseRequest(key, "not sent"))
    with pytest.raises(Refused, match="Say why"):
        pay.reverse_payment(world.act("accounts"), ReverseRequest(Payment.objects.last().pk, " "))


def test_an_account_in_the_bills_currency_pays_at_the_days_rate(world):
    BankAccount.objects.create(code="USD1", company=world.nz, bank="B", number="1", currency="USD")
    bill = haulage(world, "H-1", "100.00", "USD")
    account = BankAccount.objects.get(code="USD1").pk
    with pytest.raises(Refused, match="The account is in USD"):
        pay.pay(world.act("accounts"), paying(bill, "100.00", account=account, bank=D("5")))
    key = pay.pay(world.act("accounts"), paying(bill, "100.00", account=account))
    made = Payment.objects.get(pk=key)
    assert (made.bank_currency, made.bank_amount, made.bank_base) == ("USD", 100, D("164.20"))


def test_an_advance_is_held_by_goods_until_their_bill_sets_it_off(world):
    order = world.sent_order({"A": D(10)})
    part = (pay.PartRequest(D("50.00"), order=order.pk),)
    request = pay.PayRequest(world.nz.pk, order.supplier_id, TODAY, "USD", part, rate=D("1.60"))
    key = pay.pay(world.act("accounts"), request)
    assert open_advances([order.pk])[order.pk].amount == 50
    world.say(world.shipment([order]), "departure")
    assert balance(Account.OWNED_AFLOAT, world.nz) == D("80.00") + D("220.03") and open_advances([order.pk]) == {}
    with pytest.raises(Refused, match="A part of this advance on .* is used"):
        pay.reverse_payment(world.act("accounts"), ReverseRequest(key, "wrong order"))
    assert book_faults() == []
    bill = Bill.objects.get(pk=bills.book_bill(world.act("costs"), bill_of(order, line_of(order))))
    assert (bill.advance, bill.owed) == (50, 134)
    assert balance(Account.ADVANCES, world.nz) == 0 and book_faults() == []


def test_forty_bills_due_are_paid_in_one_act(world, signed_in):
    order = world.sent_order({"C": D(5)})
    made = [haulage(world, f"H-{number}", order=order) for number in range(40)]
    page, url = signed_in("accounts"), reverse("open-bills")
    shown = page.get(url, {"by": TODAY.isoformat()})
    assert len(shown.context["rows"]) == 40
    asked = {"bill": [bill.pk for bill in made], "day": TODAY.isoformat(), "key": "k"}
    assert page.post(url, asked).url == reverse("payments")
    assert Payment.objects.get().amount == 4000 and not open_bills([world.nz.pk]).exists()
    assert page.post(url, asked).url == reverse("payments") and Payment.objects.count() == 1
    assert b"nothing of it is open" in page.post(url, asked | {"key": "other"}).content
    assert book_faults() == []


def test_all_that_are_listed_are_paid_by_the_worker(world, signed_in, monkeypatch):
    monkeypatch.setattr(views, "AT_ONCE", 2)
    made = [haulage(world, f"H-{number}") for number in range(3)]
    page, url = signed_in("accounts"), reverse("open-bills")
    asked = {"day": TODAY.isoformat(), "key": "k", "every": "4", "discounts": "on"}
    said = page.post(url, asked)
    assert said.status_code == 422 and b"4 were listed, and now it is 3" in said.content
    for unread in ("x", "-1", "9" * 30):
        assert page.post(url, asked | {"every": unread}).status_code == 422
    begun = page.post(url, asked | {"every": "3"})
    job = Job.objects.get()
    assert begun.url == reverse("job", args=[job.pk]) and not Payment.objects.exists()
    assert page.post(url, asked | {"every": "3"}).url == begun.url
    jobs.run(job.pk)
    jobs.run(job.pk)
    assert Payment.objects.get().amount == 300 and not open_bills([world.nz.pk]).exists()
    assert b"Payments made: 1" in page.get(begun.url).content
    late = jobs.begin(world.act("accounts", "late"), "pay_bills", "again", job.request, 3, "", later=False)
    jobs.run(late.pk)
    late.refresh_from_db()
    assert late.state == "failed" and "H-0" in late.said and made[0].number == "H-0"


def test_of_many_bills_all_are_paid_or_none(world):
    good, bad = haulage(world, "H-1"), haulage(world, "H-2")
    Bill.objects.filter(pk=bad.pk).update(blocked="wet")
    with pytest.raises(Refused, match="Bill H-2 of .*: wet"):
        pay_many.pay_many(world.act("accounts"), pay_many.PayManyRequest((good.pk, bad.pk), TODAY))
    assert not Payment.objects.exists()
    for chosen in ((), tuple(range(5001))):
        with pytest.raises(Refused, match="bill"):
            pay_many.pay_many(world.act("accounts"), pay_many.PayManyRequest(chosen, TODAY))


def test_a_refusal_names_no_bill_to_a_person_who_may_not_pay_it(world):
    bill = haulage(world, "H-1")
    Bill.objects.filter(pk=bill.pk).update(blocked="wet")
    for who in ("viewer", "costs"):
        with pytest.raises(NotAllowed) as stop:
            pay_many.pay_many(world.act(who), pay_many.PayManyRequest((bill.pk,), TODAY))
        assert "H-1" not in str(stop.value)


def test_the_discount_of_the_terms_is_taken_while_it_lasts(world):
    terms = PaymentTerms.objects.create(code="D", name="D", days=30, discount=D("0.02"), discount_days=10)
    Party.objects.filter(pk=world.parties["provider"].pk).update(payment_terms=terms)
    bill = haulage(world, "H-1", "99.99")
    found = open_bills([world.nz.pk]).get()
    for days, discount in ((0, D("2.00")), (10, D("2.00")), (11, 0)):
        assert with_settlement([found], TODAY + timedelta(days=days))[0].discount == discount
    pay_many.pay_many(world.act("accounts"), pay_many.PayManyRequest((bill.pk,), TODAY))
    assert Payment.objects.get().amount == D("97.99") and balance(Account.PROVIDER_PAYABLE, world.nz) == 0


def test_aging_adds_up_to_the_payables(world):
    haulage(world, "H-1")
    late = haulage(world, "H-2", "50.00", "USD")
    Bill.objects.filter(pk=late.pk).update(due_on=TODAY - timedelta(days=45))
    found = {one.band: one.amount for one in aging(owed_by_day([world.nz.pk]), TODAY)}
    assert sum(found.values()) == -balance(Account.PROVIDER_PAYABLE, world.nz) and len(found) == 2


def test_the_pages_pay_show_and_reverse(world, signed_in):
    bill = haulage(world, "H-1", "100.00", "USD")
    page = signed_in("accounts")
    url = f"{reverse('pay')}?bill={bill.pk}"
    assert page.get(url).context["form"]["amount-0"].value() == "100"
    asked = {"amount-0": "40", "day": TODAY.isoformat(), "rate": "1.7", "key": "k"}
    made = page.post(url, asked)
    payment = Payment.objects.get()
    assert made.url == reverse("payment", args=[payment.pk])
    content = page.get(made.url).content.decode()
    assert "40.00" in content and "Paid USD 40.00" in content, "its story tells of it"
    assert page.get(reverse("remittance", args=[payment.pk])).content[:5] == b"%PDF-"
    assert remittance_advice(payment)[:5] == b"%PDF-"
    assert page.post(url, asked | {"amount-0": "60.01", "key": "l"}).status_code == 422
    assert page.get(reverse("pay")).url == reverse("open-bills")
    assert page.post(made.url, {"reason": "not sent", "key": "r"}).url == made.url
    order = world.sent_order({"A": D(10)})
    advance = page.post(f"{reverse('pay')}?order={order.pk}", {"amount-0": "9", "day": TODAY.isoformat(), "key": "a"})
    assert advance.url == reverse("payment", args=[Payment.objects.order_by("pk").last().pk])
    assert page.get(reverse("payments")).status_code == 200
    viewer = signed_in("viewer")
    assert viewer.get(reverse("open-bills")).status_code == 200 and viewer.get(url).status_code == 403
