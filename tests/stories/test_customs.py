"""Customs by the shortest road: the office differs, is paid, releases; and a preference that is lost."""

import pytest
from playwright.sync_api import expect

from northing.customs.models import CustomsEntry, OriginProof
from northing.ledger.models import Account, CostLayer
from northing.masterdata.models import Company, Item, TariffRule, Territory
from northing.reports.book_proof import book_faults
from tests.across.test_worked_case import balance
from tests.stories.acts import job
from tests.worlds import TODAY, D


@pytest.fixture
def landed(stage):
    """Kettles landed; the company asks for the release before goods are received."""
    Company.objects.update(receive_not_released="ask")
    Item.objects.filter(code="A").update(hs_code="851610", origin="CN", duty_rate=D("0.05"))
    stage.order = stage.world.sent_order({"A": D(240)})
    stage.shipment = stage.world.shipment([stage.order])
    stage.world.say(stage.shipment, "departure")
    stage.world.say(stage.shipment, "arrival")
    return stage


def main(page):
    return expect(page.locator("main"))


def test_the_office_differs_is_paid_and_releases_and_the_rest_follows(landed):
    costs, accounts, dock = (landed.page(who, "/") for who in ("costs", "accounts", "dock"))
    words = "entry checked against the office, paid, released, part received, supplier billed without tax"
    with job(words, 20) as done:
        for page in (costs, accounts, dock):
            done.hear(page)
        costs.click("a:has-text('Book entry')")
        costs.fill("#id_number", "E-1")
        costs.fill("#id_their-0", "300.00")
        costs.fill("#id_reason", "another value")
        costs.click("text=Book the entry")
        main(costs).to_contain_text("The customs entry is booked")
        accounts.reload()
        accounts.click("a:has-text('Pay the office')")
        accounts.click("a:text-matches('^Pay')")
        accounts.click("button:has-text('Pay')")
        main(accounts).to_contain_text("Nothing is owed")
        costs.goto(landed.base + "/")
        costs.click("a:has-text('Released')")
        costs.click("button:has-text('Customs released the goods')")
        main(costs).to_contain_text("Released on")
        dock.reload()
        dock.click("a:has-text('Receive')")
        dock.fill("main input.figure", "200")
        dock.select_option("select[name^=short]", "still")
        dock.fill("#id_delivery_note", "DN-1")
        dock.click("button:has-text('Receive what is entered')")
        main(dock).to_contain_text("Received as")
        accounts.goto(landed.base + "/")
        accounts.locator("tr", has_text="KLN-00001").get_by_role("link", name="Bill").click()
        accounts.fill("#id_bill_number", "S-1")
        accounts.click("button:text-is('Book the bill')")
        expect(accounts.locator(".notes")).to_contain_text("Booked the bill.")
    entry = CustomsEntry.objects.get()
    assert entry.duty == 300 and entry.our_duty != 300 and balance(Account.CUSTOMS_PAYABLE) == 0
    assert CostLayer.objects.get().received == 200 and book_faults() == []


def test_a_preference_is_proved_and_lost(landed):
    Territory.objects.create(code="NZ", per="group")
    rule = {"territory": "NZ", "hs": "851610", "valid_from": TODAY.replace(year=TODAY.year - 1)}
    TariffRule.objects.create(kind="duty", ad_valorem=D("0.05"), **rule)
    free = {"kind": "preference", "origin": "CN", "name": "treaty", "proof": "certificate"}
    TariffRule.objects.create(**free, ad_valorem=D(0), **rule)
    page = landed.page("costs", f"/customs/{landed.shipment.pk}/{landed.order.company_id}/")
    main(page).to_contain_text("certificate would save")
    page.fill("#proof_number", "CO-1")
    page.click("button:text-is('Add the proof')")
    main(page).to_contain_text("The proof is there.")
    main(page).not_to_contain_text("would save")
    page.fill("#id_number", "E-1")
    page.click("text=Book the entry")
    main(page).to_contain_text("The customs entry is booked")
    assert CustomsEntry.objects.get().duty == 0
    # The paper turns out to be of other goods: the general duty counts, and the entry is corrected.
    page.goto(landed.base + f"/customs/{landed.shipment.pk}/{landed.order.company_id}/")
    page.click("section:has-text('Proofs of origin') a:text-is('Withdraw')")
    page.fill("#id_reason", "of other goods")
    page.click("button:text-is('Reverse it')")
    main(page).to_contain_text("certificate would save")
    landed.accessible(page)
    page.fill("#id_number", "E-2")
    page.click("text=Book in place of E-1")
    main(page).to_contain_text("The customs entry is booked")
    made = CustomsEntry.objects.get(reversed_by=None)
    assert (made.number, OriginProof.objects.filter(withdrawn_at=None).count()) == ("E-2", 0)
    assert made.duty == round(made.customs_value * D("0.05"), 2) and book_faults() == []
