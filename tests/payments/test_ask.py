"""Payments that a second person approves: asked for once, made once, by another person."""

import pytest
from django.urls import reverse

from northing.actions.payments import ask, pay
from northing.actions.worklist.proof import move_faults
from northing.core.problems import NotAllowed, Refused
from northing.ledger.models import Entry
from northing.masterdata.models import Company
from northing.messaging.models import Message
from northing.payments.models import AskedPayment, Payment
from northing.reports.book_proof import book_faults
from northing.reports.remittance import remittance_files
from northing.reports.settlement import settlements
from tests.payments.test_pay import haulage, paying


@pytest.fixture
def bill(world):
    """A hundred dollars, where fifty is the most that one person pays alone."""
    Company.objects.update(payment_approval_above=50)
    return haulage(world, "H-1")


def test_it_waits_is_approved_by_another_and_is_made_once(world, bill):
    with pytest.raises(Refused, match="above NZD 50.00 a second person approves"):
        pay.pay(world.act("accounts"), paying(bill, "100.00"))
    entries = Entry.objects.count()
    asked = ask.pay_or_ask(world.act("accounts"), paying(bill, "100.00"))["asked"]
    assert Entry.objects.count() == entries and settlements([bill])[bill.pk].why == "its payment waits for approval"
    with pytest.raises(Refused, match="waits for approval"):
        ask.pay_or_ask(world.act("accounts"), paying(bill, "90.00"))
    with pytest.raises(Refused, match="waits for approval"):
        pay.pay(world.act("accounts"), paying(bill, "10.00"))
    assert move_faults() == []
    with pytest.raises(NotAllowed, match="You asked for this payment"):
        ask.approve_payment(world.act("accounts"), ask.AskedRequest(asked))
    made = ask.approve_payment(world.act("approver"), ask.AskedRequest(asked))
    assert Payment.objects.get(pk=made).entered_by == world.people["accounts"] and book_faults() == []
    with pytest.raises(Refused, match="approved and made"):
        ask.approve_payment(world.act("approver"), ask.AskedRequest(asked))
    assert move_faults() == []


def test_what_is_small_is_paid_at_once_and_what_is_dropped_is_free_again(world, bill):
    assert "payment" in ask.pay_or_ask(world.act("accounts"), paying(bill, "50.00"))
    asked = ask.ask_payment(world.act("accounts"), paying(bill, "50.00"))
    with pytest.raises(Refused, match="Say why"):
        ask.drop_payment(world.act("accounts"), ask.AskedRequest(asked))
    ask.drop_payment(world.act("accounts"), ask.AskedRequest(asked, "wrong day"))
    assert settlements([bill])[bill.pk].payable == 50


def test_the_page_asks_approves_and_advises(world, bill, signed_in):
    page = signed_in("accounts")
    asked = page.post(reverse("open-bills"), {"key": "p", "day": bill.day.isoformat(), "bill": [bill.pk]}, follow=True)
    assert "1 waits for a second person" in asked.content.decode()
    url = reverse("asked-act", args=[AskedPayment.objects.get().pk, "approve"])
    assert signed_in("approver").post(url, {"key": "a"}).status_code == 302
    payment = Payment.objects.get()
    world.parties["provider"].email = "bills@haulier.example"
    world.parties["provider"].save()
    page = signed_in("accounts")
    assert page.post(reverse("advise", args=[payment.pk]), {"key": "m"}).status_code == 302
    letter = Message.objects.get(kind="remittance")
    assert letter.recipient == "bills@haulier.example" and "paid NZD 100.00" in letter.body
    assert remittance_files(payment.pk, {})[0][2].startswith(b"%PDF")
