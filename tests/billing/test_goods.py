"""Suppliers' bills for goods: what is checked, what is proposed, and whose word counts."""

from concurrent.futures import ThreadPoolExecutor
from dataclasses import replace
from decimal import Decimal as D

import pytest
from django.db import connection
from django.urls import reverse

from northing.actions.billing import approve, bills
from northing.actions.billing.request import BillLineRequest, BillRequest
from northing.actions.billing.trial import try_bill
from northing.actions.confirmations import supplier_links
from northing.actions.payments import pay
from northing.actions.receiving.receive import ReceiveRequest, ReceiveRow, receive
from northing.actions.receiving.reverse import reverse_receipt
from northing.actions.reversal import ReverseRequest
from northing.actions.worklist.proof import move_faults
from northing.billing.models import Bill, BilledGoods
from northing.core.problems import Refused
from northing.ledger.models import Account, Entry
from northing.masterdata.models import Company, Party
from northing.reports.billable import Start, billable
from northing.reports.book_proof import book_faults
from northing.worklist.models import LineSummary, Matter
from tests.across.test_worked_case import balance
from tests.worlds import TODAY, small_world


def line_of(order, quantity="10", price="18.40", **more):
    return BillLineRequest(
        order_line=order.lines.order_by("number").first().pk, quantity=D(quantity), price=D(price), **more
    )


def bill_of(order, *lines, **more):
    head = (order.company_id, order.supplier_id, more.pop("number", "S-1"), TODAY, order.currency)
    return BillRequest(*head, lines or (line_of(order),), **more)


@pytest.fixture
def order(world):
    """Ten kettles, ours and afloat."""
    found = world.sent_order({"A": D(10)})
    world.say(world.shipment([found]), "departure")
    return found


def refused(world, request, who="costs"):
    with pytest.raises(Refused) as stop:
        bills.book_bill(world.act(who), request)
    return str(stop.value)


@pytest.mark.parametrize(
    ("change", "words"),
    [
        ({"quantity": D(0)}, "a quantity is above 0"),
        ({"quantity": D(-3)}, "a quantity is above 0"),
        ({"quantity": D("1.5")}, "A is counted in whole pc"),
        ({"quantity": D("1e15")}, "larger than any order"),
        ({"price": D(-1)}, "a price is not below 0"),
        ({"price": None}, "the price is missing"),
        ({"amount": D("1.001")}, "USD has fewer decimals"),
        ({"order_line": 999_999}, "no order line of this supplier"),
        ({"decision": "perhaps"}, "Accept the difference or dispute it"),
    ],
)
def test_a_line_that_is_no_line_is_refused_in_words(world, order, change, words):
    before = Entry.objects.count()
    assert words in refused(world, bill_of(order, replace(line_of(order), **change)))
    assert not Bill.objects.exists() and Entry.objects.count() == before


@pytest.mark.parametrize(
    ("change", "words"),
    [
        ({"number": " "}, "The bill has a number"),
        ({"number": "9" * 200}, "at most 40 signs"),
        ({"total": D("184.01")}, "its lines and the tax come to 184.00"),
        ({"tax": D(-1)}, "no amount of tax"),
        ({"rate": D(0)}, "A rate is above 0"),
        ({"day": TODAY.replace(year=1970)}, "1970"),
        ({"day": TODAY.replace(day=TODAY.day + 1)}, "has not come yet"),
        ({"currency": "EUR"}, "is ordered in USD"),
        ({"currency": "XXX"}, "is ordered in USD"),
        ({"kind": "credit"}, "no amount in USD to be credited"),
    ],
)
def test_a_head_that_cannot_be_is_refused_in_words(world, order, change, words):
    assert words in refused(world, replace(bill_of(order), **change))


def test_another_companys_or_suppliers_order_is_none(world, order):
    assert "no order line of this supplier" in refused(world, replace(bill_of(order), company=world.au.pk))
    assert "no order line of this supplier" in refused(world, replace(bill_of(order), party=world.parties["EUR"].pk))


@pytest.mark.parametrize(
    ("price", "line", "of_bill", "asks"),
    [
        ("18.40", ("0", "0"), ("0", "0"), False),
        ("18.00", ("0", "0"), ("0", "0"), False),
        ("18.76", ("2", "50"), ("2", "50"), False),
        ("18.77", ("2", "50"), ("9", "900"), True),
        ("18.76", ("2", "5"), ("9", "900"), True),
        ("18.76", ("2", None), ("1", None), True),
        ("30.00", (None, None), (None, None), False),
    ],
)
def test_a_price_above_what_was_agreed_passes_within_both_limits(world, order, price, line, of_bill, asks):
    names = ("line_tolerance", "line_tolerance_money", "bill_tolerance", "bill_tolerance_money")
    limits = dict(zip(names, [None if one is None else D(one) for one in (*line, *of_bill)], strict=True))
    Company.objects.update(bill_above_price="ask", **limits)
    request = bill_of(order, line_of(order, price=price))
    if asks:
        assert "what was agreed" in refused(world, request) or "was agreed" in refused(world, request)
        request = replace(request, accept=True)
    bills.book_bill(world.act("costs"), request)
    assert book_faults() == []


def test_a_suppliers_own_tolerance_comes_before_the_companys(world, order):
    Company.objects.update(bill_above_price="block", line_tolerance=0)
    request = bill_of(order, line_of(order, price="19.00"))
    assert "6.00 more (allowed: 0 % and 50)" in refused(world, request)
    assert "6.00 more" in refused(world, replace(request, accept=True)), "a block is not accepted"
    Party.objects.filter(pk=order.supplier_id).update(line_tolerance=5, bill_tolerance=5)
    bills.book_bill(world.act("costs"), request)


@pytest.mark.parametrize(
    ("check", "request_of", "words"),
    [
        (
            "bill_above_order",
            lambda order: bill_of(order, line_of(order, "11")),
            "1 pc more are billed than were",
        ),
        ("bill_other_tax", lambda order: bill_of(order, tax=D("27.60")), "its orders have none"),
    ],
)
def test_a_check_is_as_strong_as_the_company_says(world, order, check, request_of, words):
    request = request_of(order)
    Company.objects.update(**{check: "block"})
    assert words in refused(world, replace(request, accept=True))
    Company.objects.update(**{check: "ask"})
    assert words in refused(world, request)
    booked = bills.book_bill(world.act("costs"), replace(request, accept=True))
    assert words in Bill.objects.get(pk=booked).entry.history.text
    assert book_faults() == []


def test_goods_the_supplier_has_not_agreed_are_not_billed_ahead(world):
    order = world.sent_order({"A": D(10)}, agreed=False)
    Company.objects.update(bill_not_agreed="block")
    assert "has not agreed to all that is billed" in refused(world, bill_of(order))


@pytest.mark.parametrize("number", ["S-1", "s1", "S / 1", "S.1 "])
def test_a_number_is_booked_once_however_it_is_written(world, order, number):
    bills.book_bill(world.act("costs"), bill_of(order, line_of(order, "4")))
    assert "is booked already" in refused(world, bill_of(order, line_of(order, "5"), number=number))
    first = Bill.objects.get()
    bills.reverse_bill(world.act("costs"), ReverseRequest(first.pk, "wrong"))
    bills.book_bill(world.act("costs"), bill_of(order, line_of(order, "5"), number=number))


def test_the_same_day_and_amount_is_asked_about(world, order):
    Company.objects.update(bill_repeated="ask")
    bills.book_bill(world.act("costs"), bill_of(order, line_of(order, "4")))
    again = bill_of(order, line_of(order, "4"), number="S-2")
    assert "has the same day and the same amount" in refused(world, again)
    bills.book_bill(world.act("costs"), replace(again, accept=True))


def test_a_bill_before_and_one_after_the_goods_come_to_the_same(world):
    """At one rate, so that nothing is exchange."""
    accounts = (Account.OWNED_AFLOAT, Account.SUPPLIER_PAYABLE, Account.OWNED_NOT_BILLED, Account.BILLED_NOT_OURS)
    ends = [[D(0)] * len(accounts)]
    for first in ("bill", "goods"):
        found = world.sent_order({"A": D(10)})
        shipment = world.shipment([found])
        request = bill_of(found, line_of(found, price="18.90"), number=first)
        steps = [
            lambda request=request: bills.book_bill(world.act("costs"), request),
            lambda shipment=shipment: world.say(shipment, "departure"),
        ]
        for step in steps if first == "bill" else reversed(steps):
            step()
        ends.append([balance(one, world.nz) for one in accounts])
    assert [two - one for one, two in zip(ends[1], ends[2], strict=True)] == ends[1]
    assert balance(Account.EXCHANGE, world.nz) == 0 and book_faults() == []


def test_what_is_tried_is_not_saved_and_says_its_postings(world, order):
    entries = Entry.objects.count()
    trial = try_bill(world.act("costs"), bill_of(order, line_of(order, price="18.90"), number=""))
    assert dict(trial.postings)["Supplier payables"] == D("-310.34")
    assert dict(trial.postings)["Owned afloat"] == D("8.21")
    assert Entry.objects.count() == entries and not Bill.objects.exists() and not BilledGoods.objects.exists()


def test_goods_that_are_ours_wait_on_the_watch_until_they_are_billed(world, order):
    waiting = Matter.objects.get(kind="unbilled", record=order.pk)
    assert (waiting.party, waiting.at_stake) == ("accounts", D("302.13"))
    [line] = billable(Start(order=order.pk), [world.nz.pk])
    assert (line.proposed, line.price, line.amount) == (10, D("18.4"), D("184.00"))
    bills.book_bill(world.act("costs"), bill_of(order))
    assert not Matter.objects.filter(kind="unbilled").exists() and move_faults() == []
    [line] = billable(Start(order=order.pk), [world.nz.pk])
    assert (line.proposed, line.billed) == (0, 10)


def test_a_shipment_is_billed_whole_in_one_act_before_it_leaves(world):
    found = [world.sent_order({"A": D(10)}), world.sent_order({"A": D(20), "C": D(5)})]
    shipment = world.shipment(found)
    assert {one.proposed for one in billable(Start(shipment=shipment.pk), [world.nz.pk])} == {10, 20, 5}


def test_a_second_person_approves_above_the_limit(world, order):
    Company.objects.update(bill_approval_above=300)
    bill = bills.book_bill(world.act("costs"), bill_of(order))
    part = pay.PayRequest(world.nz.pk, order.supplier_id, TODAY, "USD", (pay.PartRequest(D(10), bill=bill),))
    with pytest.raises(Refused, match="is not approved"):
        pay.pay(world.act("accounts"), part)
    world.people["costs"].grants.create(company=world.nz, role="approver")
    with pytest.raises(Refused, match="You entered this bill"):
        approve.approve_bill(world.act("costs"), approve.ApproveRequest(bill))
    world.people["approver"].grants.update(limit=302)
    with pytest.raises(Refused, match="you may approve up to NZD 302.00"):
        approve.approve_bill(world.act("approver"), approve.ApproveRequest(bill))
    waiting = Matter.objects.get(kind="bill")
    assert (waiting.party, waiting.reason, waiting.at_stake) == ("accounts", "waits for approval", D("302.13"))
    approve.approve_bill(world.act("accounts"), approve.ApproveRequest(bill))
    assert not Matter.objects.filter(kind="bill").exists() and move_faults() == []
    pay.pay(world.act("accounts"), part)
    with pytest.raises(Refused, match="needs no approval"):
        approve.approve_bill(world.act("accounts"), approve.ApproveRequest(bill))


def test_what_is_in_dispute_or_kept_back_is_not_paid(world, order):
    line = line_of(order, price="20.40", decision="dispute")
    bill = Bill.objects.get(pk=bills.book_bill(world.act("costs"), bill_of(order, line)))
    assert bill.lines.get().disputed == 20
    waiting = Matter.objects.get(kind="bill")
    assert (waiting.party, waiting.at_stake) == ("supplier", D("32.84")) and move_faults() == []

    def paying(amount):
        part = pay.PartRequest(D(amount), bill=bill.pk)
        return pay.PayRequest(world.nz.pk, order.supplier_id, TODAY, "USD", (part,))

    with pytest.raises(Refused, match="20.00 of Bill S-1 is in dispute"):
        pay.pay(world.act("accounts"), paying("200"))
    approve.block_bill(world.act("accounts"), approve.BlockRequest(bill.pk, "goods are wet"))
    with pytest.raises(Refused, match="goods are wet"):
        pay.pay(world.act("accounts"), paying("10"))
    approve.block_bill(world.act("accounts"), approve.BlockRequest(bill.pk, ""))
    pay.pay(world.act("accounts"), paying("184"))
    approve.end_dispute(world.act("accounts"), approve.ApproveRequest(bill.pk))
    assert not Matter.objects.filter(kind="bill").exists()
    pay.pay(world.act("accounts"), paying("20"))
    assert book_faults() == [] and balance(Account.SUPPLIER_PAYABLE, world.nz) == 0


def test_the_page_proposes_asks_and_books(world, order, signed_in):
    Company.objects.update(bill_above_price="ask")
    page, url = signed_in("costs"), f"{reverse('supplier-bill')}?order={order.pk}"
    form = page.get(url).context["form"]
    end = f"l{order.lines.get().pk}"
    assert form[f"quantity-{end}"].value() == "10" and form[f"price-{end}"].value() == "18.4"
    asked = {"bill_number": "S-1", "day": TODAY.isoformat(), "key": "k", "act": "book"}
    asked |= {f"quantity-{end}": "10", f"price-{end}": "20", "kind-x0": "freight", "amount-x0": "5.00"}
    shown = page.post(url, asked | {"act": "show", "bill_number": ""})
    assert b"Supplier payables" in shown.content and not Bill.objects.exists()
    assert page.post(url, asked | {"kind-x0": ""}).status_code == 422
    assert page.post(url, asked | {"act": "add", "add": f"\x00 KLN-9/1 {order.number}/1"}).status_code == 422
    assert b"16.00 more" in page.post(url, asked).content
    booked = page.post(url, asked | {f"decision-{end}": "dispute"})
    bill = Bill.objects.get()
    assert booked.url == reverse("bill", args=[bill.pk]) and bill.total == 205
    content = page.get(booked.url).content.decode()
    assert "16.00 in dispute" in content and "189.00 open" in content
    assert page.get(reverse("bills")).status_code == 200


def test_a_supplier_sees_its_own_bills_and_how_far_they_are_paid(world, order, client):
    bill = bills.book_bill(world.act("costs"), bill_of(order, line_of(order, price="20.40", decision="dispute")))
    part = pay.PartRequest(D("100"), bill=bill)
    pay.pay(world.act("accounts"), pay.PayRequest(world.nz.pk, order.supplier_id, TODAY, "USD", (part,)))
    other = world.sent_order({"B": D(5)})
    for supplier, sees in ((order.supplier_id, True), (other.supplier_id, False)):
        link = supplier_links.invite(world.act("expediter"), supplier_links.InviteRequest(supplier))
        content = client.get(link).content.decode()
        assert ("S-1" in content and "20.00 in dispute" in content and "104.00" in content) == sees


@pytest.mark.django_db(transaction=True)
def test_many_people_never_bill_the_same_units():
    world = small_world()
    order = world.sent_order({"A": D(10)})
    world.say(world.shipment([order]), "departure")
    line = line_of(order, "3")

    def one(number):
        try:
            return bills.book_bill(world.act("costs"), bill_of(order, line, number=f"N-{number}"))
        finally:
            connection.close()

    with ThreadPoolExecutor(8) as pool:
        made = list(pool.map(one, range(8)))
    assert len(set(made)) == 8 and sum(row.units for row in BilledGoods.objects.all()) == 10
    assert LineSummary.objects.get(order=order).unbilled == 0 and book_faults() == []


def test_a_receipt_is_reversed_after_the_bill_that_waited_for_it(world):
    order = world.sent_order({"A": D(10)}, ours_from="receipt")
    key = bills.book_bill(world.act("costs"), bill_of(order, line_of(order, "10", "19.60", decision="accept")))
    row = ReceiveRow(None, D(10), False, instalment=order.lines.get().instalments.get().pk)
    made = receive(world.act("dock"), ReceiveRequest(None, world.site.pk, "DN-1", TODAY, (row,)))
    bills.reverse_bill(world.act("costs"), ReverseRequest(key, "entered twice"))
    assert book_faults() == []
    reverse_receipt(world.act("dock"), ReverseRequest(made, "another order"))
    # The bill took its part back when it was reversed; the receipt does not do it again.
    assert balance(Account.BILLED_NOT_OURS, world.nz) == 0 and balance(Account.STOCK, world.nz) == 0
    assert book_faults() == []
