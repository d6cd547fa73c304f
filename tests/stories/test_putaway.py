"""From the receipt to the bin, by button and by scan; the jobs of a day at the dock, counted."""

from datetime import timedelta

import pytest
from playwright.sync_api import expect

from northing.actions.orders import set_parts
from northing.inventory.models import OnHand
from northing.masterdata.models import Bin, Company, Item, Pack, Site
from northing.orders.models import Instalment
from northing.worklist.models import LineSummary
from tests.inventory.goods import at_dock
from tests.stories.acts import job
from tests.stories.test_dock import GTIN, scan
from tests.worlds import D


@pytest.fixture
def store(stage):
    """Goods are put away later; A has its place in S2, which holds forty, and S-03 and S-04 are empty."""
    world = stage.world
    Site.objects.update(queues_putaway=True)
    Pack.objects.create(item=world.items["A"], name="carton", factor=6, gtin=GTIN)
    Bin.objects.create(site=world.site, code="S2", purpose="store", home_of=world.items["A"], most_units=D(40))
    for code in ("S-03", "S-04"):
        Bin.objects.create(site=world.site, code=code, purpose="store", most_units=D(40))
    Bin.objects.filter(code="STORE").update(zone="elsewhere")
    return stage


def lies():
    """By bin: the units that lie there."""
    rows = OnHand.objects.filter(quantity__gt=0)
    return {code: int(units) for code, units in rows.values_list("bin__code", "quantity")}


def test_from_the_announced_goods_to_the_bins_with_stock_before_and_after(store):
    shipment = store.world.shipment([store.world.sent_order({"A": D(100)})])
    store.world.say(shipment, "departure")
    page = store.page("dock", "/receiving/?site=TRG")
    with job("announced goods, receipt, putaway, stock before and after", 10) as done:
        done.hear(page)
        page.locator("tr", has_text=str(shipment)).get_by_text("Receive").click()
        page.fill("#id_delivery_note", "DN-1")
        page.fill("input[name^=row-]", "100")
        page.click("button:text-is('Check')")
        expect(page.locator("#trial")).to_contain_text("nothing is saved yet")
        page.click("button:text-is('Receive what is entered')")
        page.wait_for_url("**/receipts/**")
        page.click("a:has-text('Put away 1')")
        expect(page.locator("main")).to_contain_text("it is the place of A 0 → 40 pc")
        page.click("button:text-is('Put all away as entered')")
        expect(page.locator(".notes")).to_contain_text("Put away.")
    assert lies() == {"S2": 40, "S-03": 40, "S-04": 20}
    store.accessible(page)


def test_into_three_bins_of_ones_own_choice(store):
    at_dock(store.world, 60)
    page = store.page("dock", "/inventory/putaway/?site=TRG")
    store.accessible(page)
    with job("into three bins", 5) as done:
        done.hear(page)
        page.click("button:text-is('Another bin')")
        page.locator("input[name^=quantity-]").nth(0).fill("30")
        page.locator("input[name^=quantity-]").nth(2).fill("10")
        page.locator("input[name^=target-]").nth(2).fill("S-04")
        page.click("button:text-is('Put all away as entered')")
        expect(page.locator(".notes")).to_contain_text("Put away.")
    assert lies() == {"S2": 30, "S-03": 20, "S-04": 10}


def test_put_away_by_scan_on_a_phone_and_undone(store):
    at_dock(store.world, 60)
    page = store.page("dock", "/inventory/putaway/?site=TRG")
    page.set_viewport_size({"width": 390, "height": 844})
    store.accessible(page)
    with job("goods at the dock put into a bin, by scan", 2) as done:
        done.hear(page)
        scan(page, f"(01){GTIN}")
        expect(page.locator(".told")).to_contain_text("2 rows: scan the bin it goes into, or S2 as proposed.")
        scan(page, "nowhere")
        expect(page.locator(".told")).to_contain_text("“nowhere” is no bin and no goods that lie here.")
        done.acts.pop()  # what was scanned wrongly is no part of the job
        scan(page, "S2")
        expect(page.locator(".notes")).to_contain_text("Put away.")
    assert lies() == {"S2": 40, "DOCK": 20}
    page.click(".notes a:has-text('Undo')")
    page.fill("#id_reason", "the wrong bin")
    page.click("button:has-text('Reverse it')")
    expect(page.locator(".notes")).to_contain_text("Reversed")
    assert lies() == {"DOCK": 60}


def test_the_queue_is_that_of_now(store):
    page = store.page("dock", "/inventory/putaway/?site=TRG")
    page.clock.install()
    page.reload()
    expect(page.locator("main")).to_contain_text("Nothing waits at the dock.")
    at_dock(store.world, 60)
    page.clock.run_for(21_000)
    expect(page.locator("main")).to_contain_text("1 to put away")
    scan(page, f"(01){GTIN}")
    expect(page.locator(".told")).to_contain_text("scan the bin it goes into")


def test_the_papers_of_a_day(store):
    Item.objects.filter(code="A").update(keeps_lot=True)
    Company.objects.update(under_tolerance=D(3))
    order = store.world.sent_order({"A": D(100), "C": D(10)})
    page = store.page("dock", "/receiving/?site=TRG")
    with job("the dock sheet", 1) as done:
        done.hear(page)
        with page.expect_download() as sheet:
            page.click("button:text-is('Dock sheet')")
    assert sheet.value.suggested_filename.endswith(".pdf")
    with job("a receipt with its note, one line short and closed, lot and bin", 8) as done:
        done.hear(page)
        page.locator("tr", has_text=order.number).get_by_text("Receive").click()
        page.fill("#id_delivery_note", "DN-7")
        page.locator("input[name^=row-]").nth(0).fill("98")
        page.locator("select[name^=short-]").nth(0).select_option("no_more")
        page.fill("input[name^=lot-]", "L1")
        page.locator("select[name^=bin-]").nth(0).select_option(label="S-03")
        page.locator("input[name^=row-]").nth(1).fill("10")
        page.click("button:text-is('Receive what is entered')")
        expect(page.locator("main")).to_contain_text("S-03 holds 40 units; 0 lie there.")
        done.acts.pop()
        page.locator("select[name^=bin-]").nth(0).select_option(label="STORE")
        done.acts.pop()
        page.click("button:text-is('Receive what is entered')")
        page.wait_for_url("**/receipts/**")
    with job("the receipt paper", 1) as done:
        done.hear(page)
        href = page.get_attribute("a:text-is('Receipt paper')", "href")
        page.evaluate("window.acted('click')")
    assert page.request.get(store.base + href).body().startswith(b"%PDF")
    with job("the list of what was received", 2) as done:
        done.hear(page)
        page.click("a:text-is('Dock')")
        page.click("a:text-is('All receipts')")
        expect(page.locator("main")).to_contain_text("DN-7")


def test_dated_parts_of_a_line_one_closed_beyond_tolerance(store):
    world = store.world
    Company.objects.update(under_tolerance=D(3))
    order = world.sent_order({"A": D(100)}, agreed=False)
    part = Instalment.objects.get()
    rows = tuple(
        set_parts.PartRequest(key, D(units), part.asked_on + timedelta(days=days))
        for key, units, days in ((part.pk, 60, 0), (None, 40, 14))
    )
    set_parts.set_parts(world.act("expediter"), set_parts.PartsRequest(part.line_id, order.version, rows))
    page = store.page("dock", "/receiving/?site=TRG")
    with job("part receipts of a line in dated parts, one closed beyond tolerance, with a way on", 8) as done:
        done.hear(page)
        page.locator("tr", has_text=order.number).get_by_text("Receive").click()
        page.fill("#id_delivery_note", "DN-8")
        page.locator("input[name^=row-]").nth(0).fill("50")
        page.locator("select[name^=short-]").nth(0).select_option("no_more")
        page.locator("input[name^=row-]").nth(1).fill("15")
        page.locator("select[name^=short-]").nth(1).select_option("still")
        page.click("button:text-is('Receive what is entered')")
        page.wait_for_url("**/receipts/**")
        expect(page.locator("main")).to_contain_text("10 pc of A are short")
    summary = LineSummary.objects.get(line=part.line_id)
    assert (summary.in_store, summary.outstanding) == (65, 35)
