"""Jobs by the shortest road, their acts counted in the page."""

from datetime import timedelta

import pytest
from playwright.sync_api import expect

from northing.actions.billing.bills import book_bill
from northing.actions.confirmations import answers
from northing.actions.quality.inspect import InspectRequest, inspect
from northing.actions.shipping import pack
from northing.claims.models import Claim
from northing.claims.queries import open_claims
from northing.costing.models import Charge
from northing.ledger.models import CostLayer
from northing.masterdata.models import Agreement, ExchangeRate, InspectionRule, Item, Party
from northing.orders.models import Instalment, PurchaseOrder
from northing.receiving.models import Receipt
from northing.reports.book_proof import book_faults
from northing.shipping.models import Shipment, ShipmentLine
from northing.shipping.operations import CallPlan
from northing.worklist.models import LineSummary
from tests.billing.test_goods import bill_of, line_of
from tests.stories.acts import job
from tests.worlds import CONTAINERS, TODAY, D


@pytest.fixture
def used(stage):
    """A house in which the person has ordered before: where from is proposed again."""
    stage.world.sent_order({"C": D(1)})
    return stage


def enter_order(page, *lines, discount=""):
    """From the list of orders to the order, sent or waiting."""
    page.click("a:has-text('New order')")
    page.select_option("#id_supplier", label="Supplier USD")
    for index, (item, quantity) in enumerate(lines):
        page.fill(f"#id_lines-{index}-item", item)
        page.fill(f"#id_lines-{index}-packs", quantity)
    if discount:
        page.fill("#id_discount", discount)
    page.click("button:has-text('Send to supplier')")
    page.wait_for_selector(".story")


def main(page):
    return expect(page.locator("main"))


def test_an_order_of_two_lines(used):
    stage = used
    page = stage.page("expediter", "/orders/")
    with job("order of two lines at agreed prices, discount, to sent, where no second approval is needed", 9) as done:
        done.hear(page)
        enter_order(page, ("A", "240"), ("A", "60"), discount="2")
        main(page).to_contain_text("Sent to the supplier")
    order = PurchaseOrder.objects.latest("pk")
    assert (order.stage, order.discount, order.lines.count()) == ("sent", D("0.02"), 2)


def test_an_order_with_a_second_person(used):
    stage = used
    stage.world.ask_second_person()
    page, second = stage.page("expediter", "/orders/"), stage.page("approver", "/")
    with job("the same with approval by a second person (both people's acts)", 11) as done:
        done.hear(page)
        enter_order(page, ("A", "240"), ("A", "60"), discount="2")
        main(page).to_contain_text("a second person approves")
        second.reload()
        done.hear(second)
        second.click("button:has-text('Approve and send')")
        main(second).to_contain_text("Approved and sent")
    assert PurchaseOrder.objects.latest("pk").stage == "sent"


def test_goods_that_come_unannounced(used):
    stage = used
    page, dock = stage.page("expediter", "/orders/"), stage.page("dock", "/receiving/")
    with job("order to received, goods that come unannounced and unpacked", 16) as done:
        done.hear(page)
        enter_order(page, ("A", "240"))
        record_answer(page)
        dock.reload()
        done.hear(dock)
        dock.click("tr:has-text('KLN-00002') a:has-text('Receive')")
        receive_all(dock)
    assert stage.world.line("A").instalments.get().position.in_store == 240


def test_through_a_container_with_a_known_voyage(used):
    stage, world = used, used.world
    calls = (CallPlan("CNNGB", None, TODAY), CallPlan("NZTRG", TODAY + timedelta(days=20), None))
    voyage = pack.VoyageRequest("Tern", "9074729", "7S", world.parties["provider"].pk, calls)
    pack.create_voyage(world.act("shipping"), voyage)
    page, shipping, costs, dock = (
        stage.page(who, path)
        for who, path in (("expediter", "/orders/"), ("shipping", "/shipping/loading/"), ("costs", "/"), ("dock", "/"))
    )
    with job("order to received through one container with a known voyage, all facts recorded", 26) as done:
        done.hear(page)
        enter_order(page, ("A", "240"))
        record_answer(page)
        # It is made at once: whose goods are ready after their vessel is asked first.
        Instalment.objects.update(asked_on=TODAY, promise=TODAY)
        shipping.reload()
        done.hear(shipping)
        shipping.check("tr:has-text('KLN-00002') input[type=checkbox]")
        shipping.click("button:has-text('Load')")
        shipping.fill("[name=box-0-number]", CONTAINERS[0])
        shipping.select_option("[name=box-0-type]", "22G1")
        shipping.fill("[name=box-0-seal]", "SL-1")
        shipping.fill("td.stow input", "240")
        shipping.select_option("#id_voyage", index=1)
        shipping.click("button:text-is('Load')")
        main(shipping).to_contain_text("The shipment is loaded")
        for button in ("Departed today", "Arrived today"):
            happens_today(shipping, button)
        costs.reload()
        done.hear(costs)
        costs.click("a:has-text('Book entry')")
        costs.fill("#id_number", "E-1")
        costs.click("text=Book the entry")
        main(costs).to_contain_text("The customs entry is booked")
        dock.reload()
        done.hear(dock)
        dock.click("a:has-text('Receive')")
        receive_all(dock)
    assert world.line("A").instalments.get().position.in_store == 240
    shipment = Shipment.objects.get()
    assert (shipment.departed_on, shipment.arrived_on, shipment.voyage.vessel) == (TODAY, TODAY, "Tern")


def record_answer(page):
    page.click("button:text-is('Agreed as asked')")
    main(page).to_contain_text("is recorded")


def receive_all(page):
    page.fill("#id_delivery_note", "DN-1")
    page.click("button:has-text('Receive all as expected')")
    main(page).to_contain_text("Received as")


def aboard(stage) -> Shipment:
    return stage.world.shipment([stage.world.sent_order({"A": D(240)})])


def test_two_containers_from_four_orders(stage):
    world = stage.world
    Item.objects.filter(code="A").update(volume_m3=D("0.2"))
    Party.objects.filter(kind="supplier").update(port="CNNGB")
    for quantity in (140, 120, 110, 60):
        world.sent_order({"A": D(quantity)})
    page = stage.page("shipping", "/shipping/loading/")
    words = "a 40-foot and a 20-foot container from four orders with part lines, new voyage entered on the way"
    with job(words, 18) as done:
        done.hear(page)
        page.check("#all")
        page.click("button:text-is('Load')")
        page.select_option("#id_route", "Ningbo to TRG")
        page.click("summary:has-text('A voyage that is not in the list')")
        for name, value in (("vessel", "Petrel"), ("imo", "9074729"), ("number", "9W")):
            page.fill(f"#id_{name}", value)
        page.fill("#id_leaves", (TODAY + timedelta(days=200)).isoformat())
        page.fill("#id_arrives", (TODAY + timedelta(days=220)).isoformat())
        page.click("#propose")
        expect(page.locator("#said")).to_contain_text("proposed")
        page.fill("[name=box-0-number]", CONTAINERS[0])
        page.fill("[name=box-1-number]", CONTAINERS[1])
        page.select_option("[name=box-1-type]", "22G1")
        cells = page.locator("tbody tr").nth(0).locator("td.stow input")
        full = next(place for place in (0, 1) if cells.nth(place).input_value())
        cells.nth(full).fill("50")
        cells.nth(1 - full).fill("30")
        page.click("button:text-is('Load')")
        main(page).to_contain_text("The shipment is loaded")
    made = Shipment.objects.get()
    assert (made.voyage.vessel, made.containers.count()) == ("Petrel", 2)
    assert "22G1" in set(made.containers.values_list("size_type", flat=True))
    assert ShipmentLine.objects.count() > 4, "a line is divided"


def test_departure_and_arrival_of_today(stage):
    aboard(stage)
    page = stage.page("shipping", "/?party=carrier")
    with job("departure of today, all aboard", 2) as done:
        done.hear(page)
        happens_today(page, "Departed today")
    assert page.url.endswith("/?party=carrier"), "the Watch keeps its filter"
    assert Shipment.objects.get().departed_on == TODAY
    page.click("a:has-text('Undo')")
    page.click("button[name=confirmed]")
    main(page).to_contain_text("It is taken back")
    assert Shipment.objects.get().departed_on is None
    page.goto(page.url.split("/shipping/")[0] + "/?party=carrier")
    happens_today(page, "Departed today")
    with job("arrival of today, all aboard", 2) as done:
        done.hear(page)
        happens_today(page, "Arrived today")
    assert Shipment.objects.get().arrived_on == TODAY


def happens_today(page, button):
    page.click(f"button:has-text('{button}')")
    page.click("button:has-text('Record actual')")
    main(page).to_contain_text("everything aboard follows")


def test_from_the_watch_through_customs_to_the_dock(stage):
    world = stage.world
    shipment = aboard(stage)
    world.say(shipment, "departure", TODAY - timedelta(days=1))
    world.say(shipment, "arrival")
    page = stage.page("costs", "/")
    with job("customs entry as computed, from the Watch", 3) as done:
        done.hear(page)
        page.click("a:has-text('Book entry')")
        page.fill("#id_number", "E-1")
        page.click("text=Book the entry")
        main(page).to_contain_text("The customs entry is booked")
    dock = stage.page("dock", "/")
    with job("receive all as expected, from the Watch", 3) as done:
        done.hear(dock)
        dock.click("a:has-text('Receive')")
        receive_all(dock)
    assert Receipt.objects.get().lines.get().quantity == 240


def receive_a_part(done, dock):
    """Sixty of the first line of the second order; the rest is still coming."""
    done.hear(dock)
    dock.click("tr:has-text('KLN-00002') a:has-text('Receive')")
    dock.fill("main input.figure >> nth=0", "60")
    dock.select_option("select[name^=short] >> nth=0", "still")
    dock.fill("#id_delivery_note", "DN-1")
    dock.click("button:has-text('Receive what is entered')")
    main(dock).to_contain_text("Received as")


def enter_a_late_cost(costs):
    """A bill of 40.00 for what was received in part."""
    costs.click("a:has-text('Enter a cost')")
    costs.fill("#id_amount", "40")
    costs.fill("#id_bill_number", "L-1")
    main(costs).to_contain_text("Already received")
    costs.click("text=Book and spread")
    main(costs).to_contain_text("Bill L-1 is booked and spread")


def test_a_cost_a_part_receipt_and_a_late_cost(stage):
    world = stage.world
    world.charge(world.shipment([world.sent_order({"C": D(10)})]), "freight", "9.00", "NZD", "value")
    order = world.sent_order({"A": D(240)})
    costs, dock = stage.page("costs", f"/orders/{order.pk}/"), stage.page("dock", "/receiving/")
    with job("extra cost by value, part receipt, late cost", 12) as done:
        done.hear(costs)
        costs.click("a:has-text('Enter a cost')")
        costs.fill("#id_amount", "100")
        costs.click("text=Book and spread")
        main(costs).to_contain_text("is booked and spread")
        receive_a_part(done, dock)
        enter_a_late_cost(costs)
    layer = CostLayer.objects.get()
    assert {(cost.charge.billed, cost.amount) for cost in layer.costs.filter(charge__isnull=False)} == {
        (None, D("25")),
        (D("40"), D("10")),
    }


def test_a_cost_by_hand_a_part_receipt_and_a_late_cost(stage):
    world = stage.world
    world.charge(world.shipment([world.sent_order({"C": D(10)})]), "handling", "9.00", "NZD", "value")
    facts = {"supplier": world.parties["USD"], "item": world.items["B"], "price": D(2), "currency": "USD"}
    Agreement.objects.create(**facts, valid_from=TODAY - timedelta(days=30))
    order = world.sent_order({"A": D(240), "C": D(10), "B": D(24)})
    costs, dock = stage.page("costs", f"/orders/{order.pk}/"), stage.page("dock", "/receiving/")
    first, second, third = order.lines.order_by("number").values_list("pk", flat=True)
    with job("extra cost by hand over three lines, part receipt, late cost", 14) as done:
        done.hear(costs)
        costs.click("a:has-text('Enter a cost')")
        costs.fill("#id_amount", "100")
        main(costs).to_contain_text("still to give")
        costs.fill(f"[name=share-{first}-0]", "70")
        costs.fill(f"[name=share-{second}-0]", "20")
        # The last one takes what is left.
        expect(costs.locator(f"[name=share-{third}-0]")).to_have_value("10.00")
        expect(costs.locator("tr[data-rest] output")).to_have_text("0.00")
        costs.click("text=Book and spread")
        main(costs).to_contain_text("is booked and spread")
        receive_a_part(done, dock)
        enter_a_late_cost(costs)
    late = Charge.objects.exclude(billed=None).latest("pk")
    costed = CostLayer.objects.get(item__code="A").costs.filter(charge__isnull=False)
    early = costed.exclude(charge=late).get().amount
    assert early == D("17.50") and costed.filter(charge=late).exists() and book_faults() == []


def test_an_inspection_with_failures(stage):
    Item.objects.filter(code="A").update(inspected=True)
    stage.world.receive(aboard(stage), {"A": D(100)})
    page = stage.page("inspector", "/")
    with job("inspect a part delivery, some fail", 4) as done:
        done.hear(page)
        page.click("main a:has-text('Inspect')")
        page.fill("#id_passed", "93")
        page.select_option("#id_reason", "chipped")
        page.click("text=Record the verdict")
        main(page).to_contain_text("The verdict is recorded")
    position = stage.world.line("A").instalments.get().position
    assert (position.in_store, position.rejected) == (93, 7)
    page.click("a:has-text('Undo')")
    main(page).to_contain_text("What this does")
    page.fill("#id_reason", "the wrong lot")
    page.click("button:has-text('Reverse it')")
    main(page).to_contain_text("Reversed")
    position.refresh_from_db()
    assert (position.held, position.rejected) == (100, 0), "undone at once"


def test_a_sample_that_is_good(stage):
    InspectionRule.objects.create(item=stage.world.items["A"], how="sampling")
    shipment = stage.world.shipment([stage.world.sent_order({"A": D(1200)})])
    stage.world.say(shipment, "departure")
    stage.world.receive(shipment, {"A": D(1200)})
    page = stage.page("inspector", "/")
    page.set_viewport_size({"width": 390, "height": 844})
    with job("sample of 80 from 1,200 (level II, AQL 1.0), all good", 4) as done:
        done.hear(page)
        page.click("main a:has-text('Inspect')")
        main(page).to_contain_text("Look at 80 of 1200")
        page.fill("#id_major", "3")
        expect(page.locator("form .told")).to_contain_text("rejects")
        page.fill("#id_major", "")
        expect(page.locator("form .told")).to_contain_text("accepts")
        stage.accessible(page)
        page.click("text=Record the verdict")
        main(page).to_contain_text("The verdict is recorded")
    assert stage.world.line("A").instalments.get().position.in_store == 1200


def test_all_of_an_order_goes_back(stage):
    order = stage.world.sent_order({"A": D(240), "C": D(100)})
    shipment = stage.world.shipment([order])
    stage.world.say(shipment, "departure")
    stage.world.receive(shipment, {"A": D(240), "C": D(100)})
    page = stage.page("inspector", f"/orders/{order.pk}/")
    with job("return all of an order, with its note and the list", 6) as done:
        done.hear(page)
        page.click("a:text-is('Send it back')")
        page.fill("#id_reference", "RA-77")
        page.fill("#id_reason", "not what was ordered")
        stage.accessible(page)
        page.click("button:text-is('Send back')")
        main(page).to_contain_text("Return KLN-B00001")
        expect(page.locator("a:text-is('Return note')")).to_be_visible()
        page.click("a:text-is('Returns')")
        main(page).to_contain_text("RA-77")
    assert stage.world.line("A").instalments.get().position.returned == 240 and book_faults() == []


def test_seven_fail_and_five_are_replaced(stage):
    Item.objects.filter(code="A").update(inspected=True)
    world = stage.world
    shipment = world.shipment([world.sent_order({"A": D(18)})])
    world.say(shipment, "departure")
    world.receive(shipment, {"A": D(18)})
    inspector, buyer = stage.page("inspector", "/"), stage.page("expediter", "/")
    with job("inspect 18, seven fail, five authorised, replacement draft, the other two still visible", 9) as done:
        done.hear(inspector)
        inspector.click("main a:has-text('Inspect')")
        inspector.fill("#id_passed", "11")
        inspector.select_option("#id_reason", "chipped")
        inspector.click("text=Record the verdict")
        main(inspector).to_contain_text("7 without an end yet")
        buyer.reload()
        done.hear(buyer)
        buyer.click("main a:has-text('Case')")
        buyer.fill("#id_quantity", "5")
        buyer.fill("#id_reference", "RA-77")
        stage.accessible(buyer)
        buyer.click("text=Authorised, to be replaced")
        main(buyer).to_contain_text("Goods in their place")
        stage.accessible(buyer)
        buyer.click("text=Write the order")
        main(buyer).to_contain_text("each case keeps its part")
    case = Claim.objects.get()
    assert (case.authorised, case.undecided) == (5, 2)
    line = PurchaseOrder.objects.latest("pk").lines.get()
    assert (line.quantity, line.replaces.get().quantity, line.pack_price) == (5, 5, D("18.40"))
    buyer.click("nav a:has-text('Watch')")
    main(buyer).to_contain_text("rejected: chipped")


def test_a_return_for_quality_is_credited(stage):
    world = stage.world
    order = world.sent_order({"A": D(18)})
    shipment = world.shipment([order])
    world.say(shipment, "departure")
    Item.objects.filter(code="A").update(inspected=True)
    world.receive(shipment, {"A": D(18)})
    book_bill(world.act("costs"), bill_of(order, line_of(order, "18"), accept=True))
    layer = CostLayer.objects.get()
    inspect(world.act("inspector"), InspectRequest(layer.pk, D(11), D(7), "dents", TODAY))
    page = stage.page("accounts", "/quality/")
    with job("return for quality and its credit matched", 6) as done:
        done.hear(page)
        page.click("main th a:has-text('Case')")
        page.fill("#id_reference", "RA-77")
        page.click("button:text-is('Return')")
        page.click("text=Enter their credit note")
        page.fill("#id_bill_number", "CN-7")
        page.click("button:text-is('Book it')")
        main(page).to_contain_text("Booked")
    assert not open_claims([Claim.objects.get().pk]) and book_faults() == []


def test_missing_goods_are_claimed_from_the_carrier(stage):
    world = stage.world
    shipment = world.shipment([world.sent_order({"A": D(100)})])
    Shipment.objects.update(forwarder=world.parties["provider"])
    world.say(shipment, "departure")
    world.receive(shipment, {"A": D(95)}, still_coming=False)
    page = stage.page("expediter", "/")
    with job("missing goods claimed from the carrier", 5) as done:
        done.hear(page)
        page.click("main a:has-text('Case')")
        page.click("a:text-is('Claim it from another')")
        stage.accessible(page)
        page.click("button:text-is('Claim it from another')")
        main(page).to_contain_text("is claimed of Forwarder")
    (_, party, currency), (amount, _) = open_claims([Claim.objects.get().pk]).popitem()
    assert (party, currency, amount) == (world.parties["provider"].pk, "USD", D("92.00")) and book_faults() == []


def test_an_answer_is_taken_where_it_stands(stage):
    world = stage.world
    late = world.sent_order({"A": D(240)}, agreed=False)
    answer_later(world, late)
    page = stage.page("expediter", "/confirmations/")
    with job("see and take a supplier's answer", 1) as done:
        done.hear(page)
        page.click("button:has-text('Accept')")
        main(page).to_contain_text("Accepted: 1 answer")
    assert page.url.endswith("/confirmations/")
    assert late.lines.get().instalments.get().agreed_quantity == 240


def answer_later(world, order):
    part = order.lines.get().instalments.get()
    row = answers.AnswerRow(part.pk, part.quantity, part.asked_on + timedelta(days=9), part.pack_price)
    answers.record_answers(world.act("expediter"), answers.AnswersRequest(order.pk, "", TODAY, (row,)))


def test_a_new_supplier(used):
    page = used.page("expediter", "/masterdata/records/supplier/")
    with job("new supplier ready to order from (terms, port, currency, address, mail)", 7) as done:
        done.hear(page)
        page.click("a:has-text('New')")
        page.fill("#id_name", "Örvik Ceramics")
        page.select_option("#id_payment_terms", index=1)
        page.select_option("#id_port", "CNNGB")
        page.fill("#id_email", "sales@orvik.example")
        page.fill("#id_order_address", "1 Kiln Road")
        page.click("button:text-is('Keep')")
        main(page).to_contain_text("Kept.")
    made = Party.objects.latest("pk")
    assert (made.code, made.country, made.currency) == ("ORV", "CN", "CNY")


def settle(page, number):
    """From the Watch: the bill that lies on the table is matched and paid."""
    page.click("tr:has-text('Goods of KLN-') a:has-text('Bill')")
    page.fill("#id_bill_number", number)
    page.click("button:text-is('Book the bill')")
    page.click("a:text-is('Pay')")
    page.click("button:text-is('Pay')")
    main(page).to_contain_text("left the bank")


def test_an_order_received_billed_and_paid(used):
    stage = used
    page, dock, accounts = (
        stage.page(who, path) for who, path in (("expediter", "/orders/"), ("dock", "/receiving/"), ("accounts", "/"))
    )
    with job("order to received, billed and paid", 18) as done:
        done.hear(page)
        enter_order(page, ("A", "240"))
        record_answer(page)
        dock.reload()
        done.hear(dock)
        dock.click("tr:has-text('KLN-00002') a:has-text('Receive')")
        receive_all(dock)
        accounts.reload()
        done.hear(accounts)
        settle(accounts, "S-1")
    assert LineSummary.objects.get(line=stage.world.line("A")).unbilled == 0 and book_faults() == []


def test_a_new_supplier_from_its_terms_to_a_settled_bill(used):
    stage = used
    for purpose in ("book", "customs"):
        rate = {"currency": "CNY", "purpose": purpose, "day": TODAY, "rate": D("0.23")}
        ExchangeRate.objects.create(company=stage.world.nz, **rate)
    pages = (
        ("expediter", "/masterdata/records/supplier/"),
        ("approver", "/"),
        ("dock", "/receiving/"),
        ("accounts", "/"),
    )
    page, approver, dock, accounts = (stage.page(who, path) for who, path in pages)
    with job("new supplier with terms, its first order received, billed and paid", 20) as done:
        done.hear(page)
        page.click("a:has-text('New')")
        page.fill("#id_name", "Örvik Ceramics")
        page.select_option("#id_payment_terms", index=1)
        page.select_option("#id_port", "CNNGB")
        page.fill("#id_email", "sales@orvik.example")
        page.click("button:has-text('Keep, and')")
        page.fill("#id_lines-0-item", "A")
        page.fill("#id_lines-0-packs", "240")
        page.fill("#id_lines-0-pack_price", "13.20")
        page.click("button:has-text('Send to supplier')")
        page.click("button:text-is('Agreed as asked')")
        main(page).to_contain_text("The answer to KLN-00002 is recorded")
        dock.reload()
        done.hear(dock)
        dock.click("tr:has-text('KLN-00002') a:has-text('Receive')")
        receive_all(dock)
        accounts.reload()
        done.hear(accounts)
        settle(accounts, "S-1")
    assert LineSummary.objects.get(line=stage.world.line("A")).unbilled == 0 and book_faults() == []


def test_ours_when_loaded_and_billed_before_it_arrives(stage):
    world = stage.world
    world.sent_order({"A": D(240)})
    Instalment.objects.update(asked_on=TODAY, promise=TODAY)
    calls = (CallPlan("CNNGB", None, TODAY), CallPlan("NZTRG", TODAY + timedelta(days=20), None))
    voyage = pack.VoyageRequest("Tern", "9074729", "7S", world.parties["provider"].pk, calls)
    pack.create_voyage(world.act("shipping"), voyage)
    shipping, accounts, dock = (
        stage.page(who, path)
        for who, path in (("shipping", "/shipping/loading/"), ("accounts", "/"), ("dock", "/receiving/"))
    )
    with job("ours when loaded, billed before arrival, received", 14) as done:
        done.hear(shipping)
        shipping.check("tr:has-text('KLN-00001') input[type=checkbox]")
        shipping.click("button:has-text('Load')")
        shipping.fill("[name=box-0-number]", CONTAINERS[0])
        shipping.fill("td.stow input", "240")
        shipping.select_option("#id_voyage", index=1)
        shipping.click("button:text-is('Load')")
        main(shipping).to_contain_text("The shipment is loaded")
        happens_today(shipping, "Departed today")
        accounts.reload()
        done.hear(accounts)
        accounts.click("tr:has-text('Goods of KLN-') a:has-text('Bill')")
        accounts.fill("#id_bill_number", "S-1")
        accounts.click("button:text-is('Book the bill')")
        expect(accounts.locator(".notes")).to_contain_text("Booked the bill.")
        dock.reload()
        done.hear(dock)
        dock.click("tr:has-text('S-00001') a:has-text('Receive')")
        receive_all(dock)
    assert stage.world.line("A").instalments.get().position.in_store == 240 and book_faults() == []


def test_all_that_is_to_deliver_and_to_bill(used):
    page = used.page("expediter", "/")
    with job("ordered, to deliver and to bill of everything open, by supplier, item or number", 1) as done:
        done.hear(page)
        page.click("text=To deliver and to bill")
        main(page).to_contain_text("Open or not billed lines; by supplier")
    assert page.locator("tbody tr:has-text('C')").count()
