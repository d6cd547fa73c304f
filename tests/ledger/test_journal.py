"""The journal for the accountants: every posting once, by their numbers."""

import csv
from datetime import timedelta
from decimal import Decimal as D

import pytest
from django.urls import reverse

from northing.actions.billing import bills
from northing.actions.ledger import journal
from northing.core.problems import Refused
from northing.ledger.models import AccountNumber, ExportedPosting, JournalExport, Posting
from northing.reports.journal import journal_csv
from tests.billing.test_goods import bill_of, line_of
from tests.worlds import TODAY


@pytest.fixture
def afloat(world):
    order = world.sent_order({"A": D(10)})
    world.say(world.shipment([order]), "departure")
    return order


def rows_of(export):
    return list(csv.DictReader("".join(journal_csv(export)).splitlines()))


def test_each_posting_is_handed_over_once(world, afloat):
    act, request = world.act("accounts"), journal.ExportRequest(world.nz.pk, TODAY)
    first = JournalExport.objects.get(pk=journal.export_journal(act, request))
    with pytest.raises(Refused, match="was handed over before"):
        journal.export_journal(act, request)
    bills.book_bill(world.act("costs"), bill_of(afloat, line_of(afloat)))
    second = JournalExport.objects.get(pk=journal.export_journal(act, request))
    assert JournalExport.objects.count() == 2
    assert first.postings + second.postings == Posting.objects.count() == ExportedPosting.objects.count()
    found = rows_of(first) + rows_of(second)
    assert len({row["posting"] for row in found}) == len(found) == Posting.objects.count()
    assert sum(D(row["amount"]) for row in found) == 0
    [payable] = [row for row in found if row["account"] == "supplier_payable"]
    assert (payable["amount"], payable["foreign_amount"], payable["rate"]) == ("-302.13", "-184.00", "1.642")
    assert rows_of(first) == found[: first.postings], "the same again whenever it is asked for"


def test_what_posts_later_waits_for_a_later_journal(world, afloat):
    with pytest.raises(Refused, match="was handed over before"):
        journal.export_journal(world.act("accounts"), journal.ExportRequest(world.nz.pk, TODAY - timedelta(days=1)))
    with pytest.raises(Refused, match="has not come"):
        journal.export_journal(world.act("accounts"), journal.ExportRequest(world.nz.pk, TODAY + timedelta(days=1)))
    assert not JournalExport.objects.exists()


def test_numbers_are_the_accountants_and_no_formula(world, afloat, signed_in):
    page, url = signed_in("accounts"), reverse("account-numbers", args=[world.nz.pk])
    assert page.get(url).status_code == 200
    assert page.post(url, {"stock": "1200", "bank": "=2+3", "key": "k"}).url == reverse("journals")
    assert page.post(url, {"stock": "1" * 25, "key": "l"}).status_code == 422
    assert page.post(url, {"owned_afloat": "=1", "stock": "", "key": "m"}).url == reverse("journals")
    assert dict(AccountNumber.objects.values_list("account", "number")) == {"owned_afloat": "=1"}
    made = page.post(reverse("journals"), {"company": world.nz.pk, "through": TODAY.isoformat(), "key": "n"})
    assert made.url == reverse("journals") and b"Journal" in page.get(made.url).content
    export = JournalExport.objects.get()
    answer = page.get(reverse("journal", args=[export.pk]))
    assert answer["Content-Disposition"].endswith('.csv"') and b"'=1" in b"".join(answer.streaming_content)
    assert page.post(reverse("journals"), {"company": "x", "through": "soon", "key": "o"}).status_code == 422
    for problem, numbers in (("no account", {"petty_cash": "1"}), ("at most 24", {"stock": "1" * 25})):
        with pytest.raises(Refused, match=problem):
            journal.number_accounts(world.act("accounts"), journal.NumbersRequest(world.nz.pk, numbers))
