"""Bills and payments by the shortest road, their acts counted in the page."""

import pytest
from django.urls import reverse
from playwright.sync_api import expect

from northing.actions.billing import bills
from northing.actions.billing.request import of_one
from northing.actions.costing import charges
from northing.billing.models import Bill
from northing.costing.models import Charge
from northing.ledger.models import Account
from northing.masterdata.models import Company
from northing.orders.models import OrderLine, PurchaseOrder
from northing.payments.models import Payment
from northing.reports.book_proof import book_faults
from tests.across.test_worked_case import balance
from tests.confirmations.test_supplier_page import link
from tests.stories.acts import job
from tests.worlds import CONTAINERS, TODAY, D


@pytest.fixture
def afloat(stage):
    """Goods of two orders on a ship; they are ours."""
    found = [stage.world.sent_order({"A": D(10)}), stage.world.sent_order({"A": D(20), "C": D(100)})]
    stage.shipment = stage.world.shipment(found)
    stage.world.say(stage.shipment, "departure")
    return stage


def test_what_waits_on_the_watch_is_billed_and_paid(afloat):
    page = afloat.page("accounts", "/")
    with job("ours on the Watch, matched with its bill", 4) as done:
        done.hear(page)
        page.locator("tr", has_text="KLN-00001").get_by_role("link", name="Bill").click()
        page.fill("#id_bill_number", "S-1")
        page.click("button:text-is('Book the bill')")
        expect(page.locator(".notes")).to_contain_text("Booked the bill.")
    bill = Bill.objects.get()
    assert (bill.total, bill.lines.get().quantity) == (184, 10)
    page.click("a:text-is('Pay')")
    page.fill("#id_bank", "305.00")
    page.click("button:text-is('Pay')")
    expect(page.locator("main")).to_contain_text("305.00 NZD left the bank")
    assert balance(Account.SUPPLIER_PAYABLE, afloat.world.nz) == 0 and book_faults() == []
    afloat.accessible(page)


def test_a_whole_shipment_afloat_is_billed_in_one_act(afloat):
    page = afloat.page("accounts", f"/shipping/{afloat.shipment.pk}/")
    with job("a shipment of two orders, billed with freight", 6) as done:
        done.hear(page)
        page.click("a:has-text('its bill')")
        page.fill("#id_bill_number", "S-1")
        page.select_option("#id_kind-x0", "freight")
        page.fill("#id_amount-x0", "30")
        page.click("button:text-is('Book the bill')")
        expect(page.locator(".notes")).to_contain_text("Booked the bill.")
    assert Bill.objects.get().total == 184 + 368 + 107 + 30 and book_faults() == []


def test_a_forwarders_bill_of_three_kinds_over_two_shipments(afloat):
    """All of it is estimated; one more estimate of the same forwarder is not on this bill."""
    other = afloat.world.shipment([afloat.world.sent_order({"C": D(90)})], CONTAINERS[1])
    payee = afloat.world.parties["provider"].pk
    said = ((afloat.shipment, "freight", "1200"), (afloat.shipment, "handling", "80"), (other, "haulage", "310.50"))
    for shipment, kind, amount in (*said, (other, "storage", "45")):
        asked = charges.ChargeRequest(afloat.world.nz.pk, payee, kind, "", "NZD", D(amount), TODAY, (shipment.pk,))
        charges.enter_estimate(afloat.world.act("costs"), asked)
    page = afloat.page("costs", "/billing/")
    with job("a forwarder's bill of three kinds over two shipments, all estimated", 6) as done:
        done.hear(page)
        page.click("a:text-is('Enter a bill of charges')")
        page.click(".chips a:has-text('Forwarder')")
        page.fill("#id_bill_number", "F-1")
        page.fill("#id_total", "1590.50")
        expect(page.locator("#lines-total")).to_have_text("1,590.50")
        page.click("button:text-is('Book and spread')")
        expect(page.locator(".notes")).to_contain_text("Booked and spread")
    assert Bill.objects.get().lines.count() == 3 and book_faults() == []
    assert Charge.objects.get(closed_on=None).kind == "storage"


def test_a_price_in_dispute_is_seen_decided_and_held_back(afloat):
    Company.objects.update(bill_above_price="ask")
    order = PurchaseOrder.objects.get(number="KLN-00001")
    page = afloat.page("accounts", f"/billing/goods/?order={order.pk}")
    end = page.locator("input[name^=price-]").first.get_attribute("name").removeprefix("price-")
    page.fill(f"#id_price-{end}", "20.40")
    expect(page.locator(".bill-line .above").first).to_have_text("20.00 above what was agreed")
    page.fill("#id_bill_number", "S-1")
    expect(page.locator("#effect")).to_contain_text("20.00 more (allowed: 2 % and 50)")
    page.click("button:text-is('Book the bill')")
    expect(page.locator(".bill-line .says").first).to_contain_text("20.00 more")
    afloat.accessible(page)
    page.select_option(f"#id_decision-{end}", "dispute")
    page.click("button:text-is('Book the bill')")
    expect(page.locator("main")).to_contain_text("20.00 USD is in dispute")
    page.click("a:text-is('Pay')")
    assert page.input_value("#id_amount-0") == "184"
    page.go_back()
    with job("a credit note for what is in dispute, and all of it paid", 7) as done:
        done.hear(page)
        page.click("a:text-is('Credit note')")
        page.fill("#id_bill_number", "CN-1")
        page.click("button:text-is('Book it')")
        expect(page.locator(".notes")).to_contain_text("Booked the credit note")
        afloat.accessible(page)
        page.click("a:text-is('Set it off')")
        page.check("[data-all]")
        page.locator("button", has_text="Pay 2").click()
        expect(page.locator(".notes")).to_contain_text("1 payment is made")
    assert Payment.objects.get().amount == 184 and book_faults() == []


def test_a_deposit_values_the_goods_and_the_balance_is_paid(stage):
    order = stage.world.sent_order({"A": D(10)})
    page = stage.page("accounts", f"/orders/{order.pk}/")
    page.click("a:text-is('Pay in advance')")
    page.fill("#id_amount-0", "55.20")
    page.fill("#id_rate", "1.60")
    page.click("button:text-is('Pay')")
    expect(page.locator("main")).to_contain_text("in advance")
    shipment = stage.world.shipment([order])
    stage.world.say(shipment, "departure")
    page.goto(f"{stage.base}/billing/goods/?shipment={shipment.pk}")
    page.fill("#id_bill_number", "S-1")
    page.click("button:text-is('Book the bill')")
    expect(page.locator("main")).to_contain_text("55.20 USD was paid in advance")
    expect(page.locator("main")).to_contain_text("128.80 USD is open")
    assert balance(Account.OWNED_AFLOAT, stage.world.nz) == D("88.32") + D("211.49")
    assert book_faults() == []


def test_a_supplier_sends_its_bill_and_it_is_booked_from_the_watch(afloat):
    world, line = afloat.world, OrderLine.objects.get(order__number="KLN-00001")
    theirs = afloat.page("viewer", "/")
    theirs.goto(f"{afloat.base}{reverse('supplier', args=[link(world)])}")
    with job("a supplier sends its bill", 5) as done:
        done.hear(theirs)
        theirs.locator("summary", has_text="Send a bill").click()
        theirs.fill("[name=number]", "T-1")
        theirs.fill("[name=dated]", TODAY.isoformat())
        theirs.locator("button", has_text="Send the bill").click()
        expect(theirs.locator("main")).to_contain_text("sent; we check it")
    afloat.accessible(theirs)
    page = afloat.page("accounts", "/")
    with job("a bill that the supplier sent, booked from the Watch", 3) as done:
        done.hear(page)
        page.locator("tr", has_text="Bill T-1").get_by_role("link", name="Book it").click()
        page.click("button:text-is('Book the bill')")
        expect(page.locator(".notes")).to_contain_text("Booked the bill.")
    assert Bill.objects.get().lines.filter(order_line=line).exists() and book_faults() == []


def test_one_payment_pays_forty_bills(afloat):
    world = afloat.world
    for number in range(40):
        asked = charges.ChargeRequest(
            world.nz.pk, world.parties["provider"].pk, "haulage", "quantity", "NZD", D(10), TODAY,
            shipments=(afloat.shipment.pk,),
        )  # fmt: skip
        bills.book_bill(world.act("costs"), of_one(asked, f"H-{number}"))
    page = afloat.page("accounts", "/billing/")
    with job("forty bills due today, paid", 5) as done:
        done.hear(page)
        page.click("a:text-is('To pay')")
        page.check("[data-all]")
        expect(page.locator("[data-chosen]")).to_contain_text("40: 400.00 NZD")
        page.locator("button", has_text="Pay 40").click()
        expect(page.locator(".notes")).to_contain_text("40 bills are paid; 1 payment is made.")
    assert Payment.objects.get().amount == 400 and book_faults() == []
    afloat.accessible(page)
