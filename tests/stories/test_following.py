"""Following in the browser: a morning of a carrier's events, and a container that is taken out of the port."""

import json
from datetime import timedelta
from decimal import Decimal as D

from playwright.sync_api import expect

from northing.actions.shipping import pack
from northing.shipping.models import CarrierEvent, Container, DateStatement
from northing.shipping.operations import LegPlan
from northing.worklist.models import Matter
from tests.shipping.test_carrier_events import IMO, box, call
from tests.stories.conftest import counted
from tests.worlds import CALLS, TODAY

DAY = timedelta(days=1)


def sailed(world):
    """A container on its way with the forwarder's own vessel, due in a week."""
    shipment = world.shipment([world.sent_order({"A": D(240)}, ours_from="receipt")])
    asked = pack.VoyageRequest("Heron", IMO, "221S", world.parties["provider"].pk, CALLS)
    voyage = pack.create_voyage(world.act("shipping"), asked)
    plan = LegPlan("sea", "CNNGB", "NZTRG", TODAY - 20 * DAY, TODAY + 7 * DAY, True)
    pack.plan_passage(world.act("shipping"), pack.PassageRequest(shipment.pk, voyage, (plan,)))
    world.say(shipment, "departure", TODAY - 20 * DAY)
    return shipment


def test_a_morning_of_events(stage, tmp_path):
    shipment = sailed(stage.world)
    file = tmp_path / "events.json"
    events = [call("a", "ARRI", -7, -2, "ACT"), box("b", "DISC", -1, number="XXXU1234567"), {"eventID": "c"}]
    file.write_text(json.dumps(events))
    page = stage.page("shipping", "/shipping/")
    page.click("text=Carriers' events")
    page.fill("#id_source", "Forwarder's feed")
    page.set_input_files("#id_file", file)
    page.click("button:has-text('Take them in')")
    expect(page.locator("main")).to_contain_text("Heard: 2 new, 1 believed, 1 waiting")
    expect(page.locator("main")).to_contain_text("Event 3: eventType")
    expect(page.locator("main")).to_contain_text("No container XXXU1234567")
    stage.accessible(page)
    # What is of no use is dropped by the keyboard.
    page.locator("button:has-text('Drop')").focus()
    page.keyboard.press("Enter")
    expect(page.locator("main")).to_contain_text("No event here")
    assert CarrierEvent.objects.get(event_id="b").state == "dropped"

    # It landed a week ago: two days have cost already, and the Watch says so.
    page.goto(stage.base + "/")
    expect(page.locator("main")).to_contain_text("fetch the container")
    page.goto(f"{stage.base}/shipping/{shipment.pk}/")
    expect(page.locator("main")).to_contain_text("240.00")
    stage.accessible(page)
    # One entry for the containers, the page being open: pick, milestone, press.
    acts = counted(page)
    page.check("input[name=containers]")
    page.select_option("select[name=milestone] >> nth=-1", "returned")
    page.click("button:has-text('Record')")
    expect(page.locator("main")).to_contain_text("their clocks and dates follow")
    assert 3 <= len(acts) <= 4 and not Matter.objects.filter(kind="container").exists()
    assert DateStatement.objects.get(container=Container.objects.get()).milestone == "returned"


def test_a_container_that_is_to_come_off_later(stage):
    """Pick, day, press, and after the ripple press again: four acts; the line is at the dock when its last part is."""
    shipment = sailed(stage.world)
    page = stage.page("shipping", f"/shipping/{shipment.pk}/")
    stage.accessible(page)
    form = page.locator("#containers form")
    form.locator("input[name=containers]").check()
    form.locator("input[name=value]").fill((TODAY + 20 * DAY).isoformat())
    form.locator("button").click()
    expect(page.locator("main")).to_contain_text("estimated to be discharged 14 Dec 2026")
    expect(page.locator("main")).to_contain_text("1 line moves")
    stage.accessible(page)
    assert not DateStatement.objects.filter(container__isnull=False).exists()
    page.click("button[name=confirmed]")
    expect(page.locator("#containers")).to_contain_text("what is said of it alone")
    said = DateStatement.objects.get(container__isnull=False)
    assert (said.kind, said.milestone, Container.objects.get().own_dock) == (
        "estimated",
        "discharged",
        TODAY + 20 * DAY,
    )
    # That it came off is the first word of its vessel's arrival: so it says before it is recorded.
    form.locator("input[name=containers]").check()
    form.locator("button").click()
    expect(page.locator("main")).to_contain_text("No one has said that their vessel arrived")
    page.click("button[name=confirmed]")
    expect(page.locator("h1 + p")).to_contain_text("landed Tue 24 Nov")
    page.click("text=Date history")
    expect(page.locator("main")).to_contain_text("follows from discharged")
