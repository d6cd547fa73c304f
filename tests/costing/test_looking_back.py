"""Estimate against actual, late cost of goods gone, and the landed cost of an item over time."""

import io
from datetime import timedelta

import openpyxl
import pytest
from django.urls import reverse

from northing.access.models import Person
from northing.actions.billing.bills import book_bill
from northing.actions.billing.request import BillLineRequest, BillRequest
from northing.actions.costing import charges
from northing.actions.inventory import issue
from northing.actions.masterdata.opening import FileRequest, open_stock
from northing.reports.actual_costs import BY, compared, late_costs
from northing.reports.landed_history import landed_history
from tests.worlds import CONTAINERS, TODAY, D


def estimated_and_billed(world, shipment, kind, estimate, bill):
    payee = world.parties["provider"].pk
    asked = charges.ChargeRequest(world.nz.pk, payee, kind, "quantity", "NZD", D(estimate), TODAY, (shipment.pk,))
    charge = charges.enter_estimate(world.act("costs"), asked)
    if bill:
        line = BillLineRequest(D(bill), charge)
        book_bill(world.act("costs"), BillRequest(world.nz.pk, payee, f"{kind}-1", TODAY, "NZD", (line,)))
    return charge


@pytest.fixture
def costed(world):
    """Of 100 and 300 units freight was estimated at 400.00 and billed at 440.00, haulage as estimated; one waits."""
    shipment = world.shipment([world.sent_order({"A": D(100), "C": D(300)})])
    world.say(shipment, "departure")
    estimated_and_billed(world, shipment, "freight", "400.00", "440.00")
    estimated_and_billed(world, shipment, "haulage", "80.00", "80.00")
    estimated_and_billed(world, shipment, "storage", "25.00", None)
    world.charge(shipment, "handling", "30.00", "NZD", "quantity")
    return shipment


def told(world, by, **more):
    rows = compared({world.nz.pk}, by, more.get("first"), more.get("last", TODAY))
    return {one.name: (one.estimated, one.billed, one.difference) for one in rows}


def test_what_is_billed_stands_beside_its_estimate(world, costed):
    assert told(world, "kind") == {
        "Freight": (D("400.00"), D("440.00"), D("40.00")),
        "Haulage": (D("80.00"), D("80.00"), D("0.00")),
    }
    assert told(world, "item") == {
        "C": (D("360.00"), D("390.00"), D("30.00")),
        "A": (D("120.00"), D("130.00"), D("10.00")),
    }
    whole = (D("480.00"), D("520.00"), D("40.00"))
    assert told(world, "provider") == {"Forwarder": whole}
    assert told(world, "shipment") == {costed.reference: whole} and told(world, "lane") == {"CNNGB to NZTRG": whole}
    only = compared({world.nz.pk}, "shipment", None, TODAY, kind="freight", provider=world.parties["provider"].pk)
    assert [(one.name, one.billed) for one in only] == [(costed.reference, D("440.00"))]
    assert not compared({world.nz.pk}, "kind", None, TODAY, provider=world.parties["USD"].pk)
    assert not told(world, "kind", last=TODAY - timedelta(days=1))
    assert not compared({world.au.pk}, "kind", None, TODAY)


def test_late_cost_is_told_by_how_the_goods_went(world, costed):
    world.receive(costed, {"A": D(100), "C": D(300)})
    issue.issue_stock(world.act("dock"), issue.IssueRequest(world.site.pk, world.items["A"].pk, D(40), "shops", TODAY))
    assert not late_costs({world.nz.pk}, None, TODAY)
    estimated_and_billed(world, costed, "inspection", "40.00", "60.00")
    (one,) = late_costs({world.nz.pk}, None, TODAY)
    # A quarter of 60.00 is of the kettles, of which 40 of 100 are gone.
    assert (one.way, one.amount) == ("issued", D("6.00"))


def test_an_items_cost_over_time_and_what_moved_it(world, costed):
    world.receive(costed, {"A": D(100), "C": D(300)})
    second = world.shipment([world.sent_order({"A": D(100)})], CONTAINERS[1])
    world.say(second, "departure")
    world.charge(second, "freight", "500.00", "NZD", "quantity")
    world.receive(second, {"A": D(100)})
    steps = landed_history(world.items["A"].pk, {world.nz.pk})["KLN"]
    assert [step.kept for step in steps] == [D(100), D(100)]
    # Freight of 110.00 the first time, of 500.00 the second.
    assert steps[1].moved["Freight"] == D("3.9000") and steps[1].mover == "Freight"
    assert steps[1].change == steps[1].unit - steps[0].unit
    assert steps[0].unit == sum(steps[0].parts.values())


def test_opening_stock_has_one_value_and_moves_nothing(world, client):
    head = "company,site,item,quantity,value,received_on,lot,best_before"
    row = f"KLN,TRG,A,64,2560.00,{TODAY - timedelta(days=30)},,"
    open_stock(world.act("administrator"), FileRequest("\n".join([head, row]).encode()))
    shipment = world.shipment([world.sent_order({"A": D(100)})])
    world.say(shipment, "departure")
    world.receive(shipment, {"A": D(100)})
    first, second = landed_history(world.items["A"].pk, {world.nz.pk})["KLN"]
    assert first.parts == {"Opening value": D("40.0000")} and second.change is None
    client.force_login(Person.objects.get(username="costs"))
    page = client.get(reverse("item-costs", args=[world.items["A"].pk])).content.decode()
    assert page.count("<circle") == 2 and "opening value 40.0000" in page


def test_the_pages_and_their_files(world, costed, client):
    world.receive(costed, {"A": D(100), "C": D(300)})
    client.force_login(Person.objects.get(username="costs"))
    for by in (*BY, "nonsense"):
        page = client.get(reverse("actual-costs") + f"?by={by}")
        assert page.status_code == 200 and "520.00" in page.content.decode() or by in ("kind", "item", "nonsense")
    file = client.get(reverse("actual-costs") + "?by=kind&as=csv").getvalue().decode()
    assert "Freight,KLN,NZD,400,440,40" in file
    book = client.get(reverse("actual-costs") + "?by=kind&as=xlsx")
    rows = list(openpyxl.load_workbook(io.BytesIO(book.content)).active.values)
    assert rows[0][0] == "kind" and rows[1][:1] + rows[1][3:] == ("Freight", 400, 440, 40)
    assert client.get(reverse("tariff-moves") + "?as=xlsx").status_code == 200
    page = client.get(reverse("item-costs", args=[world.items["A"].pk])).content.decode()
    assert "<circle" in page and "freight 1.1000" in page
    assert (
        "KLN,2026-11-24,100,NZD"
        in client.get(reverse("item-costs", args=[world.items["A"].pk]) + "?as=csv").getvalue().decode()
    )
    client.force_login(Person.objects.get(username="stranger"))
    assert "<circle" not in client.get(reverse("item-costs", args=[world.items["A"].pk])).content.decode()
