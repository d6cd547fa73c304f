"""The passage board by keyboard alone; and a container that is rolled."""

from playwright.sync_api import expect

from northing.actions.shipping import milestones, pack
from northing.shipping.models import DateStatement, PortCall, Shipment
from northing.shipping.operations import CallPlan, LegPlan
from tests.stories.test_following import DAY
from tests.worlds import CONTAINERS, TODAY, D


def planned(stage, lines, number=CONTAINERS[0]):
    """A shipment on the Heron, which leaves in three days."""
    world = stage.world
    shipment = world.shipment([world.sent_order(lines)], number)
    plans = (
        LegPlan("sea", "CNNGB", "NZTRG", TODAY + 3 * DAY, TODAY + 28 * DAY, True),
        LegPlan("road", "NZTRG", "TRG", TODAY + 30 * DAY, TODAY + 31 * DAY),
    )
    asked = pack.PassageRequest(shipment.pk, stage.heron, plans)
    pack.plan_passage(world.act("shipping"), asked)
    return Shipment.objects.get(pk=shipment.pk)


def two_voyages(stage):
    made = []
    for vessel, imo, leaves in (("Heron", "9074729", 3), ("Tern", "9319466", 10)):
        calls = (CallPlan("CNNGB", None, TODAY + leaves * DAY), CallPlan("NZTRG", TODAY + (leaves + 25) * DAY, None))
        asked = pack.VoyageRequest(vessel, imo, "1S", stage.world.parties["provider"].pk, calls)
        made.append(pack.create_voyage(stage.world.act("shipping"), asked))
    stage.heron, stage.tern = made


# Milliseconds that a hand needs between keys: several at once, and Enter, are a scan.
A_HAND = 300


def test_the_board_by_keyboard_alone(stage):
    two_voyages(stage)
    shipment = planned(stage, {"A": D(240)})
    page = stage.page("shipping", "/shipping/board/")
    keys = page.keyboard
    tells = page.locator("#tells")
    keys.press("j")
    expect(tells).to_contain_text("Heron 1S: 1 shipments")
    keys.press("j")
    expect(tells).to_contain_text("Heron 1S: departure CNNGB")
    keys.press("j")
    expect(tells).to_contain_text("Heron 1S: arrival NZTRG 22 Dec")
    # Three days later: first what it would move, then it is said.
    for _ in range(4):
        keys.press("ArrowRight")
    keys.press("ArrowLeft")
    expect(tells).to_contain_text("Fri 25 Dec, +3 days")
    keys.press("Enter")
    expect(page.locator("main")).to_contain_text("This is what it would do")
    expect(page.locator("tbody tr")).to_contain_text("28 Dec")
    stage.accessible(page)
    page.locator("button[name=confirmed]").focus()
    keys.press("Enter")
    expect(page.locator("main")).to_contain_text("everything aboard follows")
    assert DateStatement.objects.get(kind="estimated").value == TODAY + 31 * DAY
    shipment.refresh_from_db()
    assert shipment.expected_dock == TODAY + 34 * DAY
    # Back on the board: Enter opens the shipment; h goes earlier.
    page.goto(stage.base + "/shipping/board/")
    for _ in range(4):
        keys.press("j")
    expect(tells).to_contain_text("3 days behind plan")
    page.wait_for_timeout(A_HAND)
    keys.press("Enter")
    expect(page.locator("h1")).to_contain_text(shipment.reference)
    page.goto(stage.base + "/shipping/board/")
    keys.press("h")
    page.wait_for_url("**day=2026-10-**")


def test_a_rolled_container(stage):
    two_voyages(stage)
    shipment = planned(stage, {"A": D(240)})
    world = stage.world
    box = pack.add_container(world.act("shipping"), pack.ContainerRequest(shipment.pk, CONTAINERS[1], "22G1"))
    part = world.sent_order({"C": D(30)}).lines.get().instalments.get()
    pack.stow(world.act("shipping"), pack.StowRequest(box, ((part.pk, D(30)),)))
    page = stage.page("shipping", f"/shipping/{shipment.pk}/")
    stage.accessible(page)
    page.click("text=Split off")
    page.check(f"input[name=containers][value='{box}']")
    page.select_option("#id_to", label="Tern 1S")
    page.click("button:has-text('Show the ripple')")
    expect(page.locator("tbody tr")).to_have_count(1)
    expect(page.locator("tbody tr")).to_contain_text("+7")
    expect(page.locator("main")).to_contain_text("1 line moves")
    stage.accessible(page)
    assert Shipment.objects.count() == 1
    page.click("button:has-text('Split off')")
    expect(page.locator("main")).to_contain_text("Split off.")
    made = Shipment.objects.exclude(pk=shipment.pk).get()
    assert (made.containers.get().number, made.expected_dock) == (CONTAINERS[1], TODAY + 38 * DAY)
    # The whole of the other is rolled from the voyage's page; one key shows its lines.
    page.click("a:text-is('Heron 1S')")
    page.click("text=Roll to another voyage")
    page.check("input[name=shipments]")
    page.select_option("#id_to", label="Tern 1S")
    page.click("button:has-text('Show the ripple')")
    expect(page.locator("main")).to_contain_text("Open them in the line book")
    page.click("button[name=confirmed]")
    expect(page.locator("main")).to_contain_text("Rolled.")
    page.goto(f"{stage.base}/orders/lines/?where=aboard Tern 1S")
    expect(page.locator("tbody tr")).to_have_count(2)


def test_the_chart_by_keyboard_alone(stage):
    two_voyages(stage)
    shipment = planned(stage, {"A": D(240)})
    call = PortCall.objects.get(voyage=stage.heron, port="CNNGB")
    left = milestones.DateRequest(None, "departure", "actual", TODAY - 3 * DAY, call=call.pk)
    milestones.say_date(stage.world.act("shipping"), left)
    page = stage.page("shipping", "/shipping/board/")
    page.click("text=Chart")
    stage.accessible(page)
    keys = page.keyboard
    tells = page.locator("#tells")
    for said in ("CNNGB: nothing waits", "NZTRG: nothing waits", "Heron 1S: CNNGB to NZTRG; there 16 Dec"):
        keys.press("j")
        expect(tells).to_contain_text(said)
    # The land is there, and nearer is nearer.
    assert page.evaluate("document.querySelector('svg.chart .land').getBBox().width") > 1000
    near = "document.querySelector('svg.chart').viewBox.baseVal.width"
    before = page.evaluate(near)
    keys.press("+")
    assert page.evaluate(near) < before
    keys.press("0")
    assert page.evaluate(near) == before
    page.wait_for_timeout(A_HAND)
    keys.press("Enter")
    expect(page.locator("h1")).to_contain_text("Heron 1S")
    page.goto(f"{stage.base}/shipping/chart/?where=aboard {shipment.reference}")
    expect(page.locator("table").first).to_contain_text("Heron 1S")
