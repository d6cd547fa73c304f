"""Packing in the browser: three containers from five orders; what is typed, dragged and proposed."""

from datetime import timedelta
from decimal import Decimal as D

from playwright.sync_api import expect

from northing.actions.shipping import pack
from northing.formats.identifiers import with_container_check_digit
from northing.masterdata.models import Item, Party
from northing.orders.models import Instalment
from northing.shipping.models import Container, Shipment, ShipmentLine
from northing.shipping.operations import CallPlan
from tests.stories.conftest import counted
from tests.worlds import CONTAINERS, TODAY

DAY = timedelta(days=1)
NUMBERS = [*CONTAINERS, with_container_check_digit("QXNU100009")]


def stocked(stage):
    """Five orders of kettles and infusers, and a voyage that can take them."""
    world = stage.world
    Item.objects.filter(code="A").update(volume_m3=D("0.2"))
    Party.objects.filter(code="SUSD").update(port="CNNGB")
    for quantity in (140, 130, 120, 110, 60):
        world.sent_order({"A": D(quantity), "C": D(100)})
    Instalment.objects.update(asked_on=TODAY, promise=TODAY)
    calls = (CallPlan("CNNGB", None, TODAY + 6 * DAY), CallPlan("NZTRG", TODAY + 30 * DAY, None))
    request = pack.VoyageRequest("Heron", "9074729", "31S", world.parties["provider"].pk, calls)
    pack.create_voyage(world.act("shipping"), request)


def test_three_containers_from_five_orders_in_sixteen_acts(stage):
    stocked(stage)
    page = stage.page("shipping", "/shipping/loading/")
    acts = counted(page)
    page.check("#all")
    page.click("button:text-is('Load')")
    page.select_option("#id_route", "Ningbo to TRG")
    page.select_option("#id_voyage", label="Heron 31S")
    page.click("#propose")
    boxes = page.locator("th.box:visible")
    expect(page.locator("#said")).to_contain_text("containers proposed")
    count = boxes.count()
    assert count == 2
    page.click("#add-box")
    for place, number in enumerate(NUMBERS):
        page.fill(f"[name=box-{place}-number]", number)
    page.select_option("[name=box-2-type]", "22G1")
    # Two lines are divided: 90 kettles (18 m3) go into the third, and 50 of the next, until its 28 m3 are full.
    for row in (0, 2):
        field = page.locator("tbody tr").nth(row).locator("td.stow input")
        full = next(place for place in (0, 1) if field.nth(place).input_value())
        field.nth(full).fill("50")
        field.nth(2).focus()
        page.keyboard.press("=")
    stage.accessible(page)
    page.click("button:text-is('Load')")
    expect(page.locator("main")).to_contain_text("The shipment is loaded")
    assert 12 <= len(acts) <= 16
    made = Shipment.objects.get()
    assert Container.objects.filter(shipment=made).count() == 3
    assert ShipmentLine.objects.values("instalment__line__order").distinct().count() == 5
    assert {row.quantity for row in ShipmentLine.objects.filter(container__number=NUMBERS[2])} == {D(90), D(50)}
    assert made.planned_dock == TODAY + 37 * DAY
    stage.accessible(page)


def test_by_drag_and_by_key_the_rest_is_always_in_sight(stage):
    stocked(stage)
    page = stage.page("shipping", "/shipping/load/?all=1")
    page.click("#add-box")
    page.select_option("[name=box-0-type]", "22G1")
    rows = page.locator("#surface tbody tr")
    rest = rows.nth(0).locator("[data-left]")
    # 140 kettles of a fifth of a cubic metre fill a 20 foot to the brim; two may not share its 28 m3.
    rows.nth(0).locator("td.rest").drag_to(page.locator("th.box").nth(0).locator("svg"))
    expect(rest).to_have_text("0")
    expect(page.locator("th.box").nth(0).locator(".fill-says")).to_contain_text("28.0 m³ 100 %")
    rows.nth(2).locator("td.rest").drag_to(page.locator("th.box").nth(0).locator("svg"))
    expect(page.locator("#said")).to_contain_text("Nothing more of this line fits")
    # Moved by its grip into the second container; then more than there is, which is said at once.
    rows.nth(0).locator("td.stow .grip").nth(0).drag_to(rows.nth(0).locator("td.stow").nth(1))
    expect(rows.nth(0).locator("td.stow input").nth(1)).to_have_value("140")
    rows.nth(0).locator("td.stow input").nth(0).fill("900")
    expect(rest).to_have_text("−900")
    expect(page.locator("th.box").nth(0).locator(".fill-says")).to_contain_text("too full")
    page.click("th.box >> nth=0 >> text=Empty it")
    page.fill("[name=box-1-number]", CONTAINERS[0])
    page.click("th.box >> nth=0 >> text=Remove")
    page.click("button:text-is('Load')")
    expect(page.locator("main")).to_contain_text("The shipment is loaded")
    assert ShipmentLine.objects.get().quantity == 140
