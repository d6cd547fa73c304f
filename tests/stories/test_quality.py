"""Quality in the browser: an inspection on a phone, a return that stands by, a credit note from a file."""

from playwright.sync_api import expect

from northing.activity.models import Document
from northing.claims.models import Claim, GoodsReturn
from northing.masterdata.models import Characteristic, Defect, InspectionRule
from northing.quality.models import Inspection
from tests.stories.test_dock import picture
from tests.worlds import D


def came(stage, units):
    """So many kettles of one order that came."""
    order = stage.world.sent_order({"A": D(units)})
    shipment = stage.world.shipment([order])
    stage.world.say(shipment, "departure")
    stage.world.receive(shipment, {"A": D(units)})
    return order


def test_an_inspection_on_a_phone(stage):
    kettle = stage.world.items["A"]
    InspectionRule.objects.create(item=kettle, how="sampling", aql=D(10), papers="Certificate of the lot")
    weight = Characteristic.objects.create(item=kettle, name="Weight", unit="kg", least=D("1.2"), most=D("1.3"))
    dent = Defect.objects.create(code="DENT", name="Dented", severity="minor")
    came(stage, 20)
    page = stage.page("inspector", "/")
    page.set_viewport_size({"width": 390, "height": 844})
    page.click("main a:has-text('Inspect')")
    told = page.locator(".told")
    expect(told).to_have_text("The sample accepts the lot.")
    page.fill(f"#id_values-{weight.pk}", "1.25 1.1 1.35 1.3 1.2")
    expect(told).to_contain_text("rejects the lot")
    expect(page.locator("#id_major")).to_have_attribute("placeholder", "2")
    page.fill(f"#id_values-{weight.pk}", "1.25 1.1 1.21 1.3 1.2")
    page.fill(f"#id_defect-{dent.pk}", "1")
    expect(told).to_have_text("The sample accepts the lot.")
    expect(page.locator("#id_failed")).to_have_attribute("placeholder", "2")
    page.set_input_files("#id_pictures", [picture("dent.png", "grey")])
    page.click("text=Record the verdict")
    expect(page.locator("main")).to_contain_text("Certificate of the lot is not here")
    # Nothing that was typed is lost but the picture, which a browser does not send twice by itself.
    expect(page.locator(f"#id_defect-{dent.pk}")).to_have_value("1")
    page.fill("#id_paper-0", "C-77")
    page.set_input_files("#id_pictures", [picture("dent.png", "grey")])
    page.click("text=Record the verdict")
    page.wait_for_url("**/claims/**")
    found = Inspection.objects.get()
    assert (found.passed, found.failed, found.major, found.minor) == (18, 2, 1, 1)
    assert Document.objects.get(kind="case", record=found.case.pk).name == "dent.png"
    assert page.evaluate("document.documentElement.scrollWidth <= innerWidth")
    stage.accessible(page)


def test_a_return_stands_by_until_it_is_despatched(stage):
    order = came(stage, 20)
    page = stage.page("inspector", f"/claims/back/?order={order.pk}")
    page.fill("#id_reference", "RA-9")
    page.fill("#id_reason", "wrong colour")
    page.locator("[name^=units-]").first.fill("6")
    page.click("button:text-is('Prepare it')")
    expect(page.locator("main")).to_contain_text("Prepared goods")
    stage.accessible(page)
    assert Claim.objects.get().undecided == 0
    page.fill("#id_haulier", "Harbour Cartage")
    page.click("button:text-is('Despatch')")
    expect(page.locator("main")).to_contain_text("Despatched; the return note goes with the goods.")
    stage.world.line("A").refresh_from_db()
    assert GoodsReturn.objects.get().haulier == "Harbour Cartage"
    assert order.lines.get().instalments.get().position.returned == 6
