"""Units of a case that stay: kept, or scrapped with their price claimed or not; to the cent, and undone."""

import pytest
from django.urls import reverse

from northing.actions.billing import bills
from northing.actions.claims.returns import ReturnRequest, return_goods
from northing.actions.claims.ways import EndRequest, find, keep, reverse_way, scrap
from northing.actions.inventory.issue import IssueRequest, issue_stock
from northing.actions.receiving.receive import ReceiveRequest, ReceiveRow, receive
from northing.actions.reversal import ReverseRequest
from northing.claims.models import CaseEnd, Claim
from northing.core.problems import NotAllowed, Refused
from northing.ledger.models import Account
from northing.masterdata.models import Item
from northing.reports.book_proof import book_faults
from northing.shipping.models import ShipmentLine
from tests.across.test_worked_case import balance
from tests.billing.test_goods import bill_of, line_of
from tests.claims.test_send_back import aside, lay, position, states
from tests.worlds import TODAY, D


@pytest.fixture
def case(world):
    """Four kettles set aside, of ten that are billed."""
    lay(world)
    bills.book_bill(world.act("costs"), bill_of(world.order, line_of(world.order, "10"), accept=True))
    world.case = Claim.objects.get(pk=aside(world))
    return world


def end(world, way, units=1, who="inspector", **change):
    facts = {"case": world.case.pk, "quantity": D(units), "reason": "burnt", "occurred_on": TODAY} | change
    return way(world.act(who), EndRequest(**facts))


def undo(world, made, reason="wrong"):
    reverse_way(world.act("inspector"), ReverseRequest(made, reason))


def open_units(world):
    world.case.refresh_from_db()
    return world.case.open_quantity


def test_kept_units_are_in_store_again_and_nothing_is_posted(case):
    stock = balance(Account.STOCK, case.nz)
    made = end(case, keep, 3)
    assert states(case.layer) == {"in_store": 9, "rejected": 1} and open_units(case) == 1
    assert balance(Account.STOCK, case.nz) == stock and CaseEnd.objects.get().entry is None
    undo(case, made)
    assert states(case.layer) == {"in_store": 6, "rejected": 4} and open_units(case) == 4
    with pytest.raises(Refused, match="reversed already"):
        undo(case, made)


def test_scrapped_units_are_claimed_or_a_loss_to_the_cent_and_undone(case):
    before = {one: balance(one, case.nz) for one in (Account.STOCK, Account.CLAIMS, Account.SCRAP_LOSS)}
    each = case.layer.value / 10
    claimed = end(case, scrap, 1)
    lost = end(case, scrap, 2, claimed=False)
    assert position(case).scrapped == 3 and states(case.layer) == {"in_store": 6, "rejected": 1}
    one, two = CaseEnd.objects.order_by("pk")
    assert (one.claimed + one.lost, two.lost, two.claimed) == (one.cost, two.cost, 0) and one.claimed > 0
    assert abs(one.cost - each) < D("0.01") and balance(Account.CLAIMS, case.nz) == one.claimed
    assert balance(Account.SCRAP_LOSS, case.nz) == one.lost + two.cost and book_faults() == []
    undo(case, lost)
    undo(case, claimed)
    assert {one: balance(one, case.nz) for one in before} == before and book_faults() == []
    assert open_units(case) == 4 and position(case).rejected == 4


@pytest.mark.parametrize("way", [keep, scrap])
@pytest.mark.parametrize(
    ("change", "words"),
    [
        ({"units": 5}, "Only 4 units"), ({"units": 0}, "above 0"), ({"units": -2}, "above 0"),
        ({"units": "0.5"}, "counted in whole"), ({"reason": ""}, "Say why"),
        ({"occurred_on": TODAY.replace(year=1970)}, "1970"),
    ],
)  # fmt: skip
def test_an_end_that_cannot_be_is_refused(case, way, change, words):
    with pytest.raises(Refused, match=words):
        end(case, way, **change)
    assert not CaseEnd.objects.exists()


def test_each_unit_has_one_end(case):
    end(case, keep, 1)
    end(case, scrap, 1)
    return_goods(case.act("inspector"), ReturnRequest(case.case.pk, D(2), "RA-1", TODAY))
    assert open_units(case) == 0
    for way in (keep, scrap):
        with pytest.raises(Refused, match="Only 0 units"):
            end(case, way, 1)
    with pytest.raises(NotAllowed):
        end(case, keep, 1, who="viewer")
    assert book_faults() == []


def test_kept_units_that_were_issued_are_taken_back_first(case):
    made = end(case, keep, 4)
    issue_stock(case.act("dock"), IssueRequest(case.site.pk, case.items["A"].pk, D(10), "shop", TODAY))
    with pytest.raises(Refused, match="have left stock since"):
        undo(case, made)


def test_the_pages_keep_scrap_and_reverse(case, signed_in):
    page, shown = signed_in("inspector"), reverse("case", args=[case.case.pk])
    asked = {"quantity": "1", "reason": "hardly seen", "occurred_on": TODAY.isoformat(), "claimed": "on"}
    for way in ("keep", "scrap"):
        url = reverse("end-units", args=[case.case.pk, way])
        assert page.get(url).status_code == 200
        assert page.post(url, asked | {"key": f"{way} 1", "quantity": "9"}).status_code == 422
        assert page.post(url, asked | {"key": f"{way} 2"}).url == shown
    content = page.get(shown).content.decode()
    assert "Kept" in content and "Scrapped" in content and "hardly seen" in content
    for made in CaseEnd.objects.all():
        page.post(reverse("reverse-way", args=[made.pk]), {"reason": "no", "key": f"r {made.pk}"})
    assert open_units(case) == 4 and book_faults() == []


def test_found_units_of_an_item_that_keeps_lots_come_in_with_their_lot(world, signed_in):
    Item.objects.filter(pk=world.items["A"].pk).update(keeps_lot=True)
    shipment = world.shipment([world.sent_order({"A": D(10)})])
    world.say(shipment, "departure")
    part = ShipmentLine.objects.get(container__shipment=shipment)
    rows = (ReceiveRow(part.pk, D(7), False, "L1"),)
    receive(world.act("dock"), ReceiveRequest(part.container_id, world.site.pk, "DN-2", TODAY, rows))
    case = Claim.objects.get(kind="missing")
    page, address = signed_in("expediter"), reverse("end-units", args=[case.pk, "find"])
    asked = {"quantity": "2", "reason": "behind the rack", "occurred_on": TODAY.isoformat(), "key": "k"}
    assert page.post(address, asked).status_code == 422
    with pytest.raises(Refused, match="the lot is missing"):
        find(world.act("expediter"), EndRequest(case.pk, D(1), "there", TODAY))
    assert page.post(address, asked | {"lot": "L7", "best_before": "2028-01-31"}).status_code == 302
    case.layer.refresh_from_db()
    assert (case.layer.lot, case.layer.best_before.year) == ("L7", 2028)
    with pytest.raises(Refused, match="Units of lot L7 were found"):
        find(world.act("expediter"), EndRequest(case.pk, D(1), "there", TODAY, lot="L8"))
    find(world.act("expediter"), EndRequest(case.pk, D(1), "there", TODAY, lot="L7"))
    assert book_faults() == []
