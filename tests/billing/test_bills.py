"""Bills with several lines: shown, booked, reversed; and what they may not tell."""

from decimal import Decimal as D

import pytest
from django.urls import reverse

from northing.actions.billing import bills
from northing.actions.billing.request import BillLineRequest, BillRequest
from northing.actions.costing import charges
from northing.billing.models import Bill
from northing.core.problems import NotAllowed
from northing.costing.models import Charge
from northing.ledger.models import Account
from northing.reports.book_proof import book_faults
from tests.across.test_worked_case import balance
from tests.worlds import CONTAINERS, TODAY

DAY = TODAY.isoformat()


def bill_of(world, **more):
    head = {"kind": "bill", "company": world.nz.pk, "payee": world.parties["provider"].pk, "bill_number": "F-7"}
    return head | {"day": DAY, "currency": "NZD", "rows": "3", "key": "k", "act": "show"} | more


def test_a_bill_of_three_kinds_is_shown_booked_and_reversed(world, signed_in):
    shipments = [
        world.shipment([world.sent_order({code: D(10)})], box) for code, box in zip("AC", CONTAINERS, strict=True)
    ]
    page, url = signed_in("costs"), reverse("new-bill")
    lines = {
        "kind-line-0": "freight", "basis-line-0": "value", "amount-line-0": "100.00",
        "over-line-0": ", ".join(one.reference for one in shipments),
        "kind-line-1": "handling", "basis-line-1": "quantity", "amount-line-1": "20.00",
        "over-line-1": "KLN-00001 KLN-00002/1",
        "kind-line-2": "insurance", "basis-line-2": "value", "amount-line-2": "5.00",
        "over-line-2": CONTAINERS[1],
    }  # fmt: skip
    asked = bill_of(world, **lines, tax="18.75", total="143.75")
    assert page.get(url).status_code == 200
    assert b"its lines and the tax come to" in page.post(url, asked | {"total": "140.00"}).content
    unknown = page.post(url, asked | {"over-line-1": "KLN-9"})
    assert b"There is no shipment, container, order or line KLN-9" in unknown.content
    assert page.post(url, asked | {"act": "another"}).context["form"].rows == 4
    shown = page.post(url, asked)
    assert len(shown.context["plans"]) == 3 and not Bill.objects.exists()
    booked = page.post(url, asked | {"act": "book"})
    bill = Bill.objects.get()
    assert booked.url == reverse("bill", args=[bill.pk]) and bill.lines.count() == 3
    assert (balance(Account.PROVIDER_PAYABLE), balance(Account.INPUT_TAX)) == (D("-143.75"), D("18.75"))
    assert b"F-7" in page.get(reverse("bills")).content
    assert page.post(booked.url, {"key": "r", "reason": "another firm's"}).status_code == 302
    assert balance(Account.PROVIDER_PAYABLE) == balance(Account.INPUT_TAX) == 0
    assert {charge.amount for charge in Charge.objects.all()} == {0}
    assert b"reversed" in page.get(booked.url).content and book_faults() == []


def test_an_estimate_of_another_company_is_not_spoken_of(world):
    asked = charges.ChargeRequest(
        world.au.pk, world.parties["provider"].pk, "freight", "value", "USD", D(90), TODAY,
        (world.shipment([world.sent_order({"A": D(10)}, company=world.au)]).pk,),
    )  # fmt: skip
    estimate = charges.enter_estimate(world.act("costs"), asked)
    world.people["costs"].grants.exclude(company=world.nz).delete()
    world.people["costs"].__dict__.pop("_held", None)
    line = BillLineRequest(D(90), estimate, final=False)
    wrong = BillRequest(world.nz.pk, world.parties["provider"].pk, "F-1", TODAY, "NZD", (line,))
    with pytest.raises(NotAllowed):
        bills.book_bill(world.act("costs"), wrong)
