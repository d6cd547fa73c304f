"""Hands that slip: a stray scan, an Enter too much, a count that was left behind. Nothing is booked or reversed so."""

import pytest
from django.urls import get_resolver, reverse
from playwright.sync_api import expect

from northing.masterdata.models import Company
from northing.orders.models import PurchaseOrder
from northing.receiving.models import Receipt
from tests.lived_in import all_patterns, everything
from tests.stories.test_dock import scan
from tests.worlds import D

CODE = "09521000000001"


def received(stage):
    """A receipt that was just made, on its page."""
    world = stage.world
    world.say(world.shipment([world.sent_order({"A": D(100)})]), "departure")
    page = stage.page("dock", "/receiving/")
    page.click("a:has-text('Receive')")
    page.fill("#id_delivery_note", "DN-1")
    page.click("button:has-text('Receive all as expected')")
    page.wait_for_url("**/receipts/**")
    return page


def test_a_stray_scan_reverses_no_receipt(stage):
    page = received(stage)
    scan(page, CODE)
    expect(page.locator("[data-stray]")).to_contain_text(f"The scan {CODE} was not entered")
    assert Receipt.objects.get().reversed_by is None
    page.click("a:has-text('Undo')")
    expect(page.locator("main")).to_contain_text("What this does")
    expect(page.locator("table.effects").first).to_contain_text("100")
    expect(page.locator("#id_reason")).to_be_focused()
    # In the field that asks why, too: a scan is no reason, and its Enter no act; nor is a person's Enter.
    scan(page, CODE)
    expect(page.locator("[data-stray]")).to_contain_text("was not entered")
    assert page.input_value("#id_reason") == ""
    page.fill("#id_reason", "counted twice")
    page.press("#id_reason", "Enter")
    expect(page.locator("button:has-text('Reverse it')")).to_be_focused()
    assert Receipt.objects.get().reversed_by is None
    page.press("#id_reason", "Control+Enter")
    expect(page.locator(".notes")).to_contain_text("The receipt is reversed")
    assert Receipt.objects.get().reversed_by is not None
    stage.accessible(page)


def test_enter_in_a_field_of_an_order_sends_nothing(stage):
    page = stage.page("expediter", reverse("new-order"))
    page.wait_for_selector("html[data-hears]")
    fields = page.locator("main form[method=post] input:visible:not([type=checkbox]):not([type=file])")
    for number in range(fields.count()):
        fields.nth(number).press("Enter")
    page.wait_for_timeout(300)
    assert page.url.endswith(reverse("new-order")) and not PurchaseOrder.objects.exists()


def test_letters_of_a_scan_do_not_act_and_a_persons_do(stage):
    world = stage.world
    world.say(world.shipment([world.sent_order({"A": D(100)})]), "departure")
    page = stage.page("expediter", "/orders/lines/?where=all")
    page.wait_for_selector("html[data-hears]")
    before = page.url
    scan(page, "jkcguxs123")
    expect(page.locator("[data-stray]")).to_be_visible()
    assert page.url == before
    page.keyboard.press("/")
    expect(page.locator("#find")).to_be_focused()
    scan(page, CODE)  # the field that finds takes what is scanned
    expect(page.locator("#find")).to_have_value(CODE)


def test_an_abandoned_count_is_announced_and_never_mixes(stage):
    world = stage.world
    order = world.sent_order({"A": D(100)}, ours_from="receipt")
    page = stage.page("dock", f"/receiving/orders/{order.pk}/")
    page.fill("input[name^=row-]", "7")
    expect(page.locator("button[name=all]")).to_have_text("Receive this, the rest as expected")
    page.wait_for_timeout(500)
    page.goto(f"{stage.base}/receiving/")
    page.goto(f"{stage.base}/receiving/orders/{order.pk}/")
    expect(page.locator(".restored")).to_contain_text("Your count of")
    expect(page.locator("input[name^=row-]")).to_have_value("7")
    expect(page.locator("button[name=all]")).to_be_hidden()
    stage.accessible(page)
    page.click("button:has-text('Clear it')")
    expect(page.locator("button[name=all]")).to_be_visible()
    expect(page.locator(".restored")).to_have_count(0)
    expect(page.locator("input[name^=row-]")).to_have_value("")


def test_all_refusals_come_in_one_round_and_go_as_they_are_mended(stage):
    Company.objects.update(receive_early="ask")
    world = stage.world
    world.say(world.shipment([world.sent_order({"A": D(100)})]), "departure")
    page = stage.page("dock", "/receiving/")
    page.click("a:has-text('Receive')")
    page.fill("input[name^=row-]", "90")
    page.click("button:has-text('Receive what is entered')")
    main = page.locator("main")
    expect(main).to_contain_text("passage takes")
    expect(main).to_contain_text("The delivery note has a number")
    wrong = page.locator("#id_delivery_note")
    expect(wrong).to_have_attribute("aria-invalid", "true")
    wrong.fill("DN-2")
    expect(wrong).not_to_have_attribute("aria-invalid", "true")


def is_act(request):
    """Whether a request may change something: the expected cost of a draft is asked for while one types."""
    return request.method == "POST" and not request.url.endswith("/orders/landed/")


@pytest.mark.parametrize("who", ["administrator"])
def test_enter_in_no_field_of_any_form_acts(stage, who):
    """Every page that opens without a record: Enter in each of its fields leaves it where it is."""
    everything(stage.world)
    sent = []
    page = stage.page(who, "/")
    page.on("request", lambda request: sent.append(request.url) if is_act(request) else None)
    for pattern in all_patterns(get_resolver("northing.web.urls")):
        if pattern.pattern.converters or "mfa" in (pattern.name or "") or pattern.name.startswith("account"):
            continue
        answer = page.request.get(stage.base + reverse(pattern.name))
        if answer.status != 200 or 'method="post"' not in answer.text():
            continue
        page.goto(stage.base + reverse(pattern.name))
        page.evaluate(
            """() => {
              for (const field of document.querySelectorAll("main form[method=post] :is(input, select)")) {
                if (!field.checkVisibility() || ["file", "submit", "checkbox", "radio"].includes(field.type)) continue;
                field.focus();
                const told = new KeyboardEvent("keydown", { key: "Enter", bubbles: true, cancelable: true });
                if (field.dispatchEvent(told) && field.form) field.dataset.free = "1";
              }
            }"""
        )
        assert page.locator("[data-free]").count() == 0, pattern.name
    assert sent == []
