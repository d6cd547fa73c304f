"""Companies of ours settle between them on their page, and take it back."""

from decimal import Decimal as D

import pytest
from django.urls import reverse

from northing.actions.billing import bills
from northing.actions.billing.request import BillLineRequest, BillRequest
from northing.ledger.models import Account
from northing.payments.models import BetweenPayment
from northing.reports.book_proof import book_faults
from tests.across.test_worked_case import balance
from tests.worlds import TODAY


@pytest.fixture
def owing(world):
    """A bill of 40 dollars over goods of both companies, billed to the first."""
    orders = [world.sent_order({"A": D(10)}), world.sent_order({"A": D(10)}, company=world.au)]
    line = BillLineRequest(D("40.00"), kind="freight", basis="quantity", orders=tuple(order.pk for order in orders))
    head = (world.nz.pk, world.parties["provider"].pk, "F-1", TODAY, "USD")
    bills.book_bill(world.act("costs"), BillRequest(*head, (line,)))


def test_what_is_owed_is_shown_settled_at_own_rates_and_reversed(world, owing, signed_in):
    page = signed_in("accounts")
    assert "20.00" in page.get(reverse("between")).content.decode()
    url = f"{reverse('settle-between')}?first={world.nz.pk}&second={world.au.pk}&currency=USD"
    assert "Rate of KLN" in page.get(url).content.decode()
    wrong = page.post(url, {"key": "a", "day": TODAY.isoformat(), "first_rate": "-1"})
    assert wrong.status_code == 422 and "A rate is above 0" in wrong.content.decode()
    said = {"key": "b", "day": TODAY.isoformat(), "first_rate": "1.70", "second_rate": "1.60"}
    assert page.post(url, said).url == reverse("between")
    assert (balance(Account.BANK, world.nz), balance(Account.BANK, world.au)) == (D("34.00"), D("-32.00"))
    assert balance(Account.DUE_FROM, world.nz) == balance(Account.DUE_TO, world.au) == 0 and book_faults() == []
    assert page.get(url).url == reverse("between")
    undo = reverse("reverse-between", args=[BetweenPayment.objects.get().pk])
    assert page.post(undo, {"key": "c", "reason": "wrong day"}).status_code == 302
    assert balance(Account.BANK, world.au) == 0 and book_faults() == []
