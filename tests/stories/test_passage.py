"""The whole passage, walked as the different people, to the cents of the worked case."""

import re
from decimal import Decimal as D

from playwright.sync_api import expect

from northing.masterdata.models import Item
from northing.orders.models import PurchaseOrder
from northing.reports.book_proof import book_faults
from northing.reports.proofs import position_faults
from tests.worlds import CONTAINERS

BILLS = [
    ("freight", "3120.00", "USD", "volume"),
    ("insurance", "187.35", "NZD", "value"),
    ("haulage", "640.00", "NZD", "weight"),
    ("brokerage", "95.00", "NZD", "equal"),
]


def test_from_order_to_return(stage):
    Item.objects.filter(code="B").update(inspected=True)
    stage.world.ask_second_person(D(7_000))
    send_and_agree(stage, order(stage, "Supplier USD", [("A", "240", "4,416.00")], "4,416.00"))
    # The same again for cups and infusers, by the actions behind the pages.
    stage.world.sent_order({"B": D("1200")})
    stage.world.sent_order({"C": D("900")})
    shipment = pack(stage)
    depart(stage, shipment)
    for bill in BILLS:
        book(stage, shipment, *bill)
    arrive_and_clear(stage, shipment)
    check_cost_sheet(stage, shipment)
    receive(stage)
    check_cost_trail(stage)
    inspect_and_return(stage)
    issue_and_late_bill(stage, shipment)
    look_back(stage)
    assert (position_faults(), book_faults()) == ([], [])


def order(stage, supplier, lines, total):
    page = stage.page("expediter", "/orders/new/")
    page.select_option("#id_supplier", label=supplier)
    page.select_option("#id_site", label="TRG (KLN)")
    page.fill("#id_need_by", "2027-03-01")
    for index, (item, quantity, amount) in enumerate(lines):
        page.fill(f"#id_lines-{index}-item", item)
        page.press(f"#id_lines-{index}-item", "Tab")
        expect(page.locator(f"#id_lines-{index}-pack")).to_have_value("pc")
        page.fill(f"#id_lines-{index}-packs", quantity)
        expect(page.locator("#lines tr").nth(index).locator(".amount")).to_have_text(amount)
    expect(page.locator("#total")).to_have_text(total)
    page.click("button:has-text('Send to supplier')")
    expect(page.locator("main")).to_contain_text("a second person approves and sends it")
    return page.locator("h1").inner_text().split()[0]


def send_and_agree(stage, number):
    path = f"/orders/{PurchaseOrder.objects.get(number=number).pk}/"
    approver = stage.page("approver", "/")
    approver.click("button:has-text('Approve and send')")
    expect(approver.locator("main")).to_contain_text(f"{number}: Approved and sent")
    page = stage.page("expediter", path)
    page.click("text=Record an answer")
    page.fill("#id_reference", "SO-1")
    page.click("button:has-text('Record answer')")
    expect(page.locator(".story")).to_contain_text("as asked, 0 different")


def pack(stage):
    page = stage.page("shipping", "/shipping/loading/")
    page.check("#all")
    page.click("button:has-text('Load')")
    wrong = CONTAINERS[0][:-1] + str((int(CONTAINERS[0][-1]) + 1) % 10)
    page.fill("[name=box-0-number]", wrong)
    page.select_option("[name=box-0-type]", "22G1")
    for field, quantity in zip(page.locator("td.stow input").all(), ("240", "1200", "900"), strict=True):
        field.fill(quantity)
    stage.accessible(page)
    page.click("button:text-is('Load')")
    expect(page.locator("th.box .says")).to_contain_text("check digit is wrong")
    # What was typed is still there.
    expect(page.locator("td.stow input").nth(1)).to_have_value("1200")
    page.fill("[name=box-0-number]", CONTAINERS[0])
    page.click("button:text-is('Load')")
    expect(page.locator("main")).to_contain_text("The shipment is loaded")
    path = re.search(r"/shipping/\d+/", page.url)[0]
    page.click("text=Plan the passage")
    plan = (
        ["sea", "CNNGB", "NZTRG", "2026-11-20", "2026-12-12"],
        ["road", "NZTRG", "Tauranga", "2026-12-14", "2026-12-14"],
    )
    for index, leg in enumerate(plan):
        for name, value in zip(("origin", "destination", "start", "end"), leg[1:], strict=True):
            page.fill(f"#id_legs-{index}-{name}", value)
        page.select_option(f"#id_legs-{index}-mode", leg[0])
    stage.accessible(page)
    page.click("button:has-text('Plan')")
    return path


def depart(stage, shipment):
    say(stage, shipment, "departure")
    page = stage.page("shipping", shipment)
    expect(page.locator("main")).to_contain_text("ours since 24 Nov")


def say(stage, shipment, milestone):
    page = stage.page("shipping", shipment)
    page.select_option("#id_leg", index=1)
    page.select_option("#id_milestone", milestone)
    page.select_option("#id_kind", "actual")
    page.fill("#id_value", "2026-11-24")
    page.click("text=Show the ripple")
    expect(page.locator(".effect")).to_contain_text("move")
    stage.accessible(page)
    page.click(f"button:has-text('Record actual {milestone}')")


def book(stage, shipment, kind, amount, currency, basis, checks=()):
    page = stage.page("costs", shipment)
    page.click("text=Enter a charge")
    page.select_option("#id_company", label="Test NZ")
    page.select_option("#id_payee", label="Forwarder")
    page.select_option("#id_kind", kind)
    page.select_option("#id_basis", basis)
    page.fill("#id_currency", currency)
    page.fill("#id_amount", amount)
    page.fill("#id_bill_number", f"{kind} {amount}")
    expect(page.locator("main")).to_contain_text("What booking does")
    for text in checks:
        expect(page.locator("main")).to_contain_text(text)
    stage.accessible(page)
    page.click("text=Book and spread")
    expect(page.locator("main")).to_contain_text("is booked and spread")


def arrive_and_clear(stage, shipment):
    say(stage, shipment, "arrival")
    page = stage.page("costs", shipment)
    page.click("text=Book the customs entry")
    expect(page.locator("tfoot")).to_contain_text("591.27")
    expect(page.locator("tfoot")).to_contain_text("2,894.11")
    page.select_option("#id_office", label="Customs office")
    page.fill("#id_number", "E-1")
    stage.accessible(page)
    page.click("text=Book the entry")


def check_cost_sheet(stage, shipment):
    sheet = stage.page("costs", shipment).locator("table.sheet")
    for code, landed, unit in (("A", "9,571.67", "39.8820"), ("B", "7,909.93", "6.5916"), ("C", "2,583.65", "2.8707")):
        head = stage.page("costs").locator("th", has_text=re.compile(rf"^\s*{code}\s"))
        row = sheet.locator("tr", has=head)
        expect(row).to_contain_text(landed)
        expect(row).to_contain_text(unit)
    expect(sheet.locator("tfoot")).to_contain_text("20,065.25")


def receive(stage):
    page = stage.page("dock", "/receiving/")
    page.click("a:has-text('Receive')")
    page.fill("#id_delivery_note", "DN-77")
    stage.accessible(page)
    page.click("button:has-text('Receive all as expected')")
    expect(page.locator("main")).to_contain_text("Stock, costs and positions are up to date")
    expect(page.locator("main")).to_contain_text("9,571.67")
    stage.accessible(page)


def check_cost_trail(stage):
    page = stage.page("dock")
    page.click("a:has-text('9,571.67')")
    main = page.locator("main")
    for text in ("39.8820", "7,251.07", "1,584.88", "101.16", "241.11", "31.67", "361.78", "by volume"):
        expect(main).to_contain_text(text)


def inspect_and_return(stage):
    page = stage.page("inspector", "/quality/")
    page.locator("main").get_by_role("link", name="Inspect", exact=True).click()
    page.fill("#id_passed", "1150")
    page.select_option("#id_reason", "chipped")
    stage.accessible(page)
    page.click("text=Record the verdict")
    page.fill("#id_quantity", "30")
    page.fill("#id_reference", "RMA-9")
    page.click("button:has-text('Return')")
    expect(page.locator(".head")).to_contain_text("20 without an end yet")
    # 7,909.93 for 1,200 cups: 30 of them cost 197.75, of which goods 114.91
    expect(page.locator("main")).to_contain_text("price 64.50 EUR 114.91 NZD")
    expect(page.locator("main")).to_contain_text("lost 82.84 NZD")


def issue_and_late_bill(stage, shipment):
    page = stage.page("dock", f"/inventory/{Item.objects.get(code='B').pk}/")
    page.select_option("#id_site", label="TRG")
    page.fill("#id_quantity", "370")
    page.fill("#id_purpose", "shops")
    page.click("button:has-text('Issue')")
    expect(page.locator("main")).to_contain_text("800")
    # 54.00 of 108.30 falls on the cups: 36.00 in stock, 16.65 issued, 1.35 returned
    book(
        stage,
        shipment,
        "haulage",
        "108.30",
        "NZD",
        "weight",
        ["6.5916", "6.6366", "36.00", "issued 16.65", "returned 1.35"],
    )


def look_back(stage):
    page = stage.page("accounts", "/reports/ledger/trial-balance/")
    expect(page.locator("section", has_text="Test NZ").locator("tfoot")).to_contain_text("0.00")
    # 82.84 went with the cups that went back, 1.35 came upon them late; their price is not owed any more.
    expect(page.locator("tr", has_text="Return loss").first).to_contain_text("84.19")
    stage.accessible(page)
    watch = stage.page("inspector", "/")
    expect(watch.locator("main")).to_contain_text("rejected: chipped")
    watch.keyboard.press("j")
    watch.keyboard.press("Enter")
    expect(watch.locator("h1")).to_contain_text("Case")
    watch.wait_for_load_state("load")  # the keys are a module: it runs once the page is parsed
    watch.keyboard.press("Escape")
    watch.keyboard.press("/")
    expect(watch.locator("#find")).to_be_focused()
    watch.keyboard.type("DN-77")
    watch.keyboard.press("Enter")
    expect(watch.locator("main")).to_contain_text("Receipts")


def test_a_form_sent_while_the_network_is_gone_is_kept(stage):
    world = stage.world
    world.say(world.shipment([world.sent_order({"A": D(100)})]), "departure")
    page = stage.page("dock", "/receiving/")
    page.click("a:has-text('Receive')")
    page.fill("#id_delivery_note", "DN-1")
    page.context.set_offline(True)
    page.click("button:has-text('Receive all as expected')")
    expect(page.locator("#waiting")).to_contain_text("1 receipt waits on this phone for the network")
    page.context.set_offline(False)
    page.evaluate("dispatchEvent(new Event('online'))")
    expect(page.locator("#waiting")).to_contain_text("1 receipt was sent")
    page.goto(stage.base + "/receiving/")
    expect(page.locator("main")).to_contain_text("Nothing is expected")
    assert world.line("A").instalments.get().receipt_lines.count() == 1
