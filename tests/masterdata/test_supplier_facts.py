"""How a supplier delivered: quarters, the receipts behind them, lots by sample; within a person's companies."""

from datetime import timedelta

import pytest
from django.urls import reverse

from northing.actions.billing import bills
from northing.actions.billing.request import BillLineRequest, BillRequest
from northing.actions.claims.return_all import ReturnAllRequest, return_all
from northing.actions.claims.set_aside import SetAsideRequest, set_aside
from northing.actions.quality.inspect import InspectRequest, inspect
from northing.actions.quality.request import SampleRequest
from northing.claims.models import Claim
from northing.ledger.models import CostLayer
from northing.masterdata.models import InspectionRule
from northing.orders.models import Instalment
from northing.quality.queries import plan_of
from northing.reports.supplier_facts import lots_of, measures_of, quarters_of, receipts_behind
from tests.billing.test_goods import bill_of, line_of
from tests.worlds import TODAY, D


@pytest.fixture
def came(world):
    """Of ten kettles nine came, four days late; three of them are not right."""
    world.order = world.sent_order({"A": D(10)})
    shipment = world.shipment([world.order])
    world.say(shipment, "departure")
    world.receive(shipment, {"A": D(9)}, still_coming=False)
    world.layer = CostLayer.objects.get(kind="stock")
    late = world.layer.occurred_on - timedelta(days=4)
    Instalment.objects.filter(line__order=world.order).update(first_promise=late)
    set_aside(world.act("inspector"), SetAsideRequest(world.layer.pk, D(3), "dents", TODAY))
    world.supplier = world.order.supplier
    return world


def now(world, companies=None):
    return quarters_of(world.supplier, [world.nz.pk] if companies is None else companies, TODAY)[-1]


def test_a_quarter_says_what_came_late_short_and_not_right(came):
    quarter = now(came)
    assert (quarter.received, quarter.promised, quarter.on_time, quarter.missing) == (9, 9, 0, 1)
    assert quarter.days_late == timedelta(days=4) and round(quarter.ppm) == 333_333
    says = {one.name: one.bars[-1].says for one in measures_of(quarters_of(came.supplier, [came.nz.pk], TODAY))}
    assert says["On time"] == "0 %" and says["Days late"] == "4.0" and says["Short"] == "10.0 %"
    assert says["Rejected"] == "333,333" and says["Over"] == "0 %"
    # Of companies that one has no right to nothing is told.
    assert now(came, [came.au.pk]).received == 0 and not receipts_behind(came.supplier, [came.au.pk], None)


def test_days_to_answer_and_to_credit(came):
    bills.book_bill(came.act("costs"), bill_of(came.order, line_of(came.order, "9")))
    return_all(came.act("inspector"), ReturnAllRequest("RA-1", "dents", TODAY, order=came.order.pk))
    case = Claim.objects.filter(kind="rejected").order_by("pk")[0]
    Claim.objects.filter(pk=case.pk).update(opened_on=TODAY - timedelta(days=12))
    head = (came.nz.pk, came.supplier.pk, "CN-1", TODAY, "USD")
    note = BillRequest(*head, (BillLineRequest(D("10.00"), case=case.pk),), kind="credit")
    bills.book_bill(came.act("costs"), note)
    assert now(came).days_to_credit == timedelta(days=12)
    answered = now(came).days_to_answer
    assert answered is not None and answered >= timedelta(0)


def test_lots_that_were_sampled_are_drawn_one_after_the_other(world, signed_in):
    InspectionRule.objects.create(item=world.items["A"], how="sampling")
    for wrong in (0, 9):
        order = world.sent_order({"A": D(1200)})
        shipment = world.shipment([order])
        world.say(shipment, "departure")
        world.receive(shipment, {"A": D(1200)})
        layer = CostLayer.objects.filter(kind="stock").latest("pk")
        sample = SampleRequest(plan_of(layer).sample, major=wrong)
        failed = D(1200) if wrong else D(0)
        request = InspectRequest(layer.pk, 1200 - failed, failed, "dents" if wrong else "", TODAY, (), sample)
        inspect(world.act("inspector"), request)
    (found,) = lots_of(order.supplier, [world.nz.pk])
    assert [(one.percent, one.accepted) for one in found.lots] == [(0.0, True), (11.25, False)]
    content = signed_in("viewer").get(reverse("supplier-facts", args=[order.supplier_id])).content.decode()
    assert "9 of 80 not right, rejected" in content and content.count('class="lot-bad"') == 1


def test_the_page_shows_the_receipts_of_a_quarter(came, signed_in):
    page, address = signed_in("viewer"), reverse("supplier-facts", args=[came.supplier.pk])
    first = now(came).first.isoformat()
    content = page.get(f"{address}?quarter={first}").content.decode()
    assert str(came.layer.receipt_line.receipt) in content and "333,333" in content
    earlier = quarters_of(came.supplier, [came.nz.pk], TODAY)[0].first.isoformat()
    assert "Nothing came in this quarter" in page.get(f"{address}?quarter={earlier}").content.decode()
    assert page.get(f"{address}?quarter=never").status_code == 200
    assert page.get(reverse("supplier-facts", args=[999_999])).status_code == 404
