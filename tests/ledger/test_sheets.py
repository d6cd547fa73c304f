"""The trial balance of a period, accounts opened to their items, statements: all of them add up to the books."""

from datetime import timedelta
from decimal import Decimal as D

import pytest
from django.urls import reverse

from northing.actions.billing import bills
from northing.actions.payments import pay
from northing.ledger.models import OPEN_ITEM_ACCOUNTS, Account
from northing.reports.account_sheets import items_of, trial_balance, with_names
from northing.reports.due_days import due_days, owed_by_day
from northing.reports.settled_items import settled_items
from northing.reports.statement import statement
from tests.api.conftest import Program
from tests.billing.test_goods import bill_of, line_of
from tests.payments.test_pay import paying
from tests.worlds import TODAY


@pytest.fixture
def bill(world):
    """Ten kettles that are ours, of which six are billed; half of that is paid."""
    order = world.sent_order({"A": D(10)})
    world.say(world.shipment([order]), "departure")
    key = bills.book_bill(world.act("costs"), bill_of(order, line_of(order, "6")))
    found = bills.Bill.objects.get(pk=key)
    pay.pay(world.act("accounts"), paying(found, "55.20"))
    return found


def test_items_add_up_to_their_account_in_both_currencies(world, bill):
    rows = {row.code: row for row in trial_balance(world.nz, None, TODAY)}
    assert sum(row.after for row in rows.values()) == 0
    for account in (*OPEN_ITEM_ACCOUNTS, Account.OWNED_AFLOAT, Account.STOCK):
        items = items_of(world.nz, account, TODAY)
        assert sum(item.base for item in items) == (rows[account].after if account in rows else 0), account
    (open_item,) = with_names(items_of(world.nz, Account.OWNED_NOT_BILLED, TODAY))
    assert (open_item.name, open_item.amount) == ("KLN-00001/1 A", D("-73.60"))
    assert items_of(world.nz, Account.OWNED_NOT_BILLED, TODAY - timedelta(days=400)) == []


def test_a_period_begins_with_what_was_before(world, bill):
    later = {row.code: row for row in trial_balance(world.nz, TODAY + timedelta(days=1), TODAY + timedelta(days=9))}
    assert later["bank"].before == later["bank"].after != 0 and later["bank"].debit == later["bank"].credit == 0


def test_the_pages_open_accounts_to_items_postings_and_csv(world, bill, signed_in):
    page = signed_in("accounts")
    assert "supplier_payable" in page.get(reverse("trial-balance") + "?from=2026-01-01").content.decode()
    url = reverse("account-sheet", args=[world.nz.pk, "supplier_payable"])
    assert "Bill S-1" in page.get(url + "?from=nonsense&through=2027-01-01").content.decode()
    assert page.get(url + "?as=csv").content.decode().splitlines()[1].startswith("Bill S-1,")
    assert page.get(reverse("account-sheet", args=[world.au.pk, "stock"])).status_code == 200
    assert "55.20" in page.get(reverse("settled")).content.decode()


def test_what_is_due_what_was_settled_and_the_statement(world, bill):
    (due,) = due_days(owed_by_day([world.nz.pk]), [world.nz.pk], TODAY, TODAY, D(10))
    assert due.not_billed > 0 and due.left == 10 - due.by_day
    assert [part.bill for part in settled_items([world.nz.pk], TODAY, TODAY)] == [bill]
    found = statement([world.nz.pk], bill.party_id, "USD", None, TODAY)
    assert [row.amount for row in found.rows] == [D("110.40"), D("-55.20")] and found.after == D("55.20")
    answer = Program(world, "accounts").get("/statement", party="SUSD", currency="USD")
    assert answer.status_code == 200 and answer.json()["after"] == "55.2"
