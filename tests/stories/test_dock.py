"""The dock by scan, on a phone and at a desk: pallets without an order, lots of an order, what is short."""

from io import BytesIO

import pytest
from PIL import Image
from playwright.sync_api import expect

from northing.actions.receiving.receive import ReceiveRequest, ReceiveRow, receive
from northing.activity.models import Document
from northing.drawings.barcodes import gs1_128
from northing.masterdata.models import Agreement, Company, Item, Pack, Party
from northing.receiving.models import Receipt, ReceiptLine
from northing.worklist.models import LineSummary
from tests.browser import CHROMIUM, QUIET
from tests.labels import drawn
from tests.stories.acts import job
from tests.worlds import TODAY, D

GTIN = "09521000000001"


@pytest.fixture
def dock(stage):
    """Cartons of six of A have a GTIN, pallets get numbers of ours, and the supplier needs no order."""
    world = stage.world
    Pack.objects.create(item=world.items["A"], name="carton", factor=6, gtin=GTIN)
    Company.objects.update(gs1_prefix="")
    Company.objects.filter(pk=world.nz.pk).update(gs1_prefix="9521000", under_tolerance=D(3))
    Party.objects.update(without_order="allowed")
    Agreement.objects.exclude(supplier=world.parties["USD"]).delete()
    return stage


# The keys are pressed within the page: sent one by one from here, a busy machine would put pauses between them that no
# scanner makes. What nothing on the page stops goes into the field, as it does for real keys.
PRESS = """said => {
  const press = (key) => {
    const at = document.activeElement ?? document.body;
    const free = at.dispatchEvent(new KeyboardEvent("keydown", { key, bubbles: true, cancelable: true }));
    if (free && key.length === 1 && at.matches("input, textarea")) document.execCommand("insertText", false, key);
  };
  for (const key of [...said, "Enter"]) press(key);
}"""


def scan(page, said):
    """As a scanner does it: key by key, without a pause, and Enter."""
    page.wait_for_selector("html[data-hears]")
    page.evaluate(PRESS, said)


def picture(name, colour):
    """A picture as a phone takes it, only smaller."""
    made = BytesIO()
    Image.new("RGB", (40, 30), colour).save(made, "PNG")
    return {"name": name, "mimeType": "image/png", "buffer": made.getvalue()}


def test_nine_identical_pallets_without_an_order_on_a_phone(dock):
    page = dock.page("dock", "/receiving/?site=TRG")
    page.set_viewport_size({"width": 390, "height": 844})
    # Debian's Chromium falls over when it prints a PDF without a screen.
    page.route("**/labels.pdf", lambda route: route.abort())
    with job("nine identical pallets of six without an order, numbered, labels printed", 5) as done:
        done.hear(page)
        scan(page, f"(01){GTIN}(37)1")
        page.wait_for_url("**/unordered/**")
        expect(page.locator(".told")).to_contain_text("6 pc")
        page.fill(".scanned ol input", "9")
        page.fill("#id_delivery_note", "DN-1")
        expect(page.locator(".told")).to_contain_text("9 × 6 pc")
        page.click("button:text-is('Take in and print labels')")
        page.wait_for_url("**/receipts/**")
    dock.accessible(page)
    assert page.locator("iframe[data-print]").count() == 1
    numbers = set(ReceiptLine.objects.values_list("sscc", flat=True))
    assert len(numbers) == 9 and ReceiptLine.objects.filter(quantity=6, why="unordered").count() == 9


def test_two_pallets_of_different_lots_against_an_order(dock):
    Item.objects.filter(code="A").update(keeps_lot=True, keeps_best_before=True)
    order = dock.world.sent_order({"A": D(12)})
    page = dock.page("dock", "/receiving/")
    with job("two pallets of different lots against an order, by scan", 8) as done:
        done.hear(page)
        page.locator("tr", has_text=order.number).get_by_text("Receive").click()
        expect(page.get_by_placeholder("Scan, or type")).to_be_visible()
        scan(page, f"(01){GTIN}(10)L1(15)271130(37)1")
        expect(page.locator(".told")).to_contain_text(f"lot L1, best before 30 Nov 2027, for {order.number} line 1")
        scan(page, f"(01){GTIN}(10)L9(15)271130(37)1")
        expect(page.locator(".told")).to_contain_text("lot L9")
        page.keyboard.press("Escape")
        page.evaluate("document.activeElement.blur()")
        page.keyboard.press("Backspace")
        expect(page.locator(".told")).to_contain_text("Taken back: 6 pc")
        scan(page, f"(01){GTIN}(10)L2(15)271231(37)1")
        expect(page.locator("td[data-part] output")).to_have_text("scanned 12")
        page.fill("#id_delivery_note", "DN-2")
        page.click("button:text-is('Receive what is entered')")
        page.wait_for_url("**/receipts/**")
    assert [(one.lot, one.quantity) for one in ReceiptLine.objects.order_by("pk")] == [("L1", D(6)), ("L2", D(6))]
    dock.accessible(page)


def filmed(code, path):
    """A film of a label, as a camera gives it: half a second blank, then the label, again and again."""
    bars = drawn(code)
    scene = Image.new("L", (1280, 720), 200)
    scene.paste(bars.resize((bars.width * 1000 // bars.width, 260)), (140, 230))
    blank = Image.new("L", scene.size, 200)
    grey = bytes([128]) * (1280 * 720 // 2)
    frames = [b"FRAME\n" + one.tobytes() + grey for one in (blank, *[scene] * 12)]
    path.write_bytes(b"YUV4MPEG2 W1280 H720 F4:1 Ip A1:1 C420jpeg\n" + b"".join(frames))
    return path


def test_the_phones_camera_scans_a_label_once(dock, tmp_path):
    film = filmed(gs1_128([("01", GTIN), ("10", "L7"), ("37", "2")]), tmp_path / "label.y4m")
    fake = ["device-for-media-stream", "ui-for-media-stream", f"file-for-fake-video-capture={film}"]
    args = [*QUIET, *(f"--use-{'' if one.startswith('file') else 'fake-'}{one}" for one in fake)]
    dock.browser = dock.browser.browser_type.launch(executable_path=CHROMIUM, args=args)
    order = dock.world.sent_order({"A": D(24)}, ours_from="receipt")
    page = dock.page("dock", f"/receiving/orders/{order.pk}/")
    page.set_viewport_size({"width": 390, "height": 844})
    page.click("button:text-is('Camera')")
    expect(page.locator(".told")).to_contain_text("12 pc kettles, lot L7")
    expect(page.locator("dialog.camera p")).to_contain_text("12 pc kettles, lot L7")
    page.wait_for_timeout(1200)
    expect(page.locator(".scanned ol li")).to_have_count(1)
    dock.accessible(page)
    page.click("button:text-is('Close the camera')")
    expect(page.locator("dialog.camera")).to_be_hidden()


def test_an_unordered_pallet_is_tied_later_by_the_expediter(dock):
    page = dock.page("dock", "/receiving/?site=TRG")
    page.set_viewport_size({"width": 390, "height": 844})
    scan(page, f"(01){GTIN}(37)2")
    page.wait_for_url("**/unordered/**")
    page.fill("#id_delivery_note", "DN-3")
    page.click("button:text-is('Check')")
    expect(page.locator("#trial")).to_contain_text("nothing is saved yet")
    page.click("button:text-is('Take in and hold')")
    page.wait_for_url("**/receipts/**")
    order = dock.world.sent_order({"A": D(12)}, ours_from="receipt")
    desk = dock.page("expediter", "/")
    with job("held goods tied to the order they are of, from the Watch", 2) as done:
        done.hear(desk)
        desk.click("a:has-text('12 pc A')")
        expect(desk.locator("#fitting")).to_contain_text("fits exactly")
        desk.click("button:text-is('Tie')")
        desk.wait_for_url("**/receipts/**")
    expect(desk.locator("main")).to_contain_text("the goods are received against the order")
    assert LineSummary.objects.get(order=order).in_store == 12
    dock.accessible(desk)


def test_short_beyond_tolerance_is_decided_by_the_buyer(dock):
    order = dock.world.sent_order({"A": D(100)}, ours_from="receipt")
    page = dock.page("dock", "/receiving/")
    page.set_viewport_size({"width": 390, "height": 844})
    with job("an order received short, with the remainder seen", 6) as done:
        done.hear(page)
        page.locator("tr", has_text=order.number).get_by_text("Receive").click()
        page.fill("#id_delivery_note", "DN-4")
        page.fill("input[name^=row-]", "85")
        page.select_option("select[name^=short-]", "no_more")
        page.click("button:text-is('Receive what is entered')")
        page.wait_for_url("**/receipts/**")
    expect(page.locator("main")).to_contain_text("15 pc of A are short (15.00 %, allowed 3.00 %)")
    assert LineSummary.objects.get(order=order).outstanding == 15
    desk = dock.page("expediter", "/")
    desk.click("a:has-text('15 pc A')")
    expect(desk.locator("h1")).to_have_text("15 pc of A short: 15 %, allowed 3 %")
    dock.accessible(desk)
    desk.click("button:has-text('No more comes')")
    desk.wait_for_url("**/receipts/**")
    assert LineSummary.objects.get(order=order).dropped == 15


def test_everything_on_an_order_with_its_labels(dock):
    order = dock.world.sent_order({"A": D(60), "C": D(5)})
    page = dock.page("dock", "/receiving/")
    with job("everything on an order, its list and labels", 4) as done:
        done.hear(page)
        page.locator("tr", has_text=order.number).get_by_text("Receive").click()
        page.fill("#id_delivery_note", "DN-5")
        page.click("button:text-is('Receive all as expected')")
        page.wait_for_url("**/receipts/**")
        expect(page.locator("main")).to_contain_text("What the orders say now")
        href = page.get_attribute("form:has(button:text-is('Labels'))", "action")
        page.evaluate("window.acted('click')")
    assert page.request.get(f"{dock.base}{href}?copies=1").body().startswith(b"%PDF")
    assert Receipt.objects.get().occurred_on == TODAY


def test_the_network_goes_away_in_the_middle(dock):
    Item.objects.filter(code="A").update(keeps_lot=True)
    order = dock.world.sent_order({"A": D(12)})
    page = dock.page("dock", "/receiving/")
    page.set_viewport_size({"width": 390, "height": 844})
    page.wait_for_selector("html[data-kept]")
    page.locator("tr", has_text=order.number).get_by_text("Receive").click()
    expect(page.get_by_placeholder("Scan, or type")).to_be_visible()
    scan(page, f"(01){GTIN}(10)L1(37)1")
    expect(page.locator(".told")).to_contain_text("lot L1")
    page.context.set_offline(True)
    scan(page, f"(01){GTIN}(10)L2(37)1")
    expect(page.locator(".told")).to_contain_text("No network")
    page.fill("#id_delivery_note", "DN-6")
    # A picture is taken, then another; the field alone would forget the first.
    page.set_input_files("#id_pictures", files=[picture("crate.png", "red")])
    page.set_input_files("#id_pictures", files=[picture("pallet.png", "blue")])
    expect(page.locator(".taken li")).to_have_count(2)
    page.wait_for_timeout(400)
    page.reload()
    expect(page.locator(".scanned ol li")).to_have_count(2)
    expect(page.locator(".taken canvas[height]")).to_have_count(2)
    expect(page.locator("#id_delivery_note")).to_have_value("DN-6")
    page.click("button:text-is('Receive what is entered')")
    expect(page.locator("#waiting")).to_contain_text("1 receipt waits on this phone for the network.")
    assert not Receipt.objects.exists()
    page.goto(dock.base + "/receiving/")
    expect(page.locator("#waiting")).to_contain_text("1 receipt waits")
    page.context.set_offline(False)
    page.evaluate("dispatchEvent(new Event('online'))")
    expect(page.locator("#waiting")).to_contain_text("1 receipt was sent.")
    page.evaluate("dispatchEvent(new Event('online'))")
    page.reload()
    lots = ReceiptLine.objects.order_by("pk").values_list("lot", "quantity", "receipt__delivery_note")
    assert list(lots) == [("L1", D(6), "DN-6"), ("L2", D(6), "DN-6")] and Receipt.objects.count() == 1
    kept = Document.objects.filter(kind="receipt", record=Receipt.objects.get().pk).order_by("pk")
    assert list(kept.values_list("name", "media_type")) == [("crate.png", "image/png"), ("pallet.png", "image/png")]


def test_a_pallet_that_another_received_meanwhile_says_by_whom(dock):
    order = dock.world.sent_order({"A": D(24)})
    sscc = "106141412345678908"
    page = dock.page("dock", f"/receiving/orders/{order.pk}/")
    page.wait_for_selector("html[data-kept]")
    scan(page, f"(00){sscc}(02){GTIN}(37)1")
    expect(page.locator(".told")).to_contain_text(f"pallet {sscc}")
    page.fill("#id_delivery_note", "DN-7")
    page.select_option("select[name^=short-]", "still")
    page.context.set_offline(True)
    page.click("button:text-is('Receive what is entered')")
    expect(page.locator("#waiting")).to_contain_text("1 receipt waits")
    part = order.lines.get().instalments.get()
    rows = (ReceiveRow(None, D(6), True, instalment=part.pk, sscc=sscc),)
    receive(dock.world.act("dock"), ReceiveRequest(None, dock.world.site.pk, "DN-8", TODAY, rows))
    page.context.set_offline(False)
    page.evaluate("dispatchEvent(new Event('online'))")
    expect(page.locator("#waiting")).to_contain_text("One was refused")
    page.click("#waiting a")
    page.wait_for_selector("html[data-hears]")
    expect(page.locator(".scanned")).to_contain_text(sscc)
    page.click("button:text-is('Receive what is entered')")
    expect(page.locator("main")).to_contain_text(f"Pallet {sscc} was received before: KLN-R00001")
    assert Receipt.objects.count() == 1


def test_the_demos_scanner_scans_into_the_docks_page(dock, settings):
    settings.SCANNER_STANDIN = True
    order = dock.world.sent_order({"A": D(12)})
    page = dock.page("dock", f"/receiving/orders/{order.pk}/")
    page.wait_for_selector("html[data-hears]")
    hand = page.context.new_page()
    hand.goto(dock.base + "/receiving/scanner/")
    dock.accessible(hand)
    hand.click(f"button:has-text('for {order.number}')")
    expect(page.locator(".told")).to_contain_text(f"for {order.number} line 1")
    hand.click("button:has-text('wrong check digit')")
    expect(page.locator(".told")).to_contain_text("the check digit is wrong")
