"""A receipt is proof of arrival: what stands at our dock has departed, arrived and passed the gate."""

from datetime import timedelta

import pytest
from django.db.models import Sum
from django.urls import reverse

from northing.actions.receiving import receive as receiving
from northing.actions.receiving import reverse as reversing
from northing.actions.reversal import ReverseRequest
from northing.actions.shipping import pack, retract
from northing.activity.models import HistoryEntry
from northing.ledger.models import CostLayer, Posting
from northing.orders.models import Instalment
from northing.positions.models import Position
from northing.receiving.models import Receipt
from northing.shipping.models import Container, DateStatement, Shipment, ShipmentLine
from northing.worklist.models import Matter
from tests.worlds import CONTAINERS, TODAY, D

pytestmark = pytest.mark.django_db
DAY = timedelta(days=1)


@pytest.fixture
def two_boxes(world):
    """240 kettles packed in two containers of a shipment of which nothing is planned."""
    order = world.sent_order({"A": D(240)})
    part = Instalment.objects.get(line__order=order)
    key = pack.create_shipment(world.act("shipping"), pack.ShipmentRequest())
    for number in CONTAINERS:
        box = pack.add_container(world.act("shipping"), pack.ContainerRequest(key, number, "22G1"))
        pack.stow(world.act("shipping"), pack.StowRequest(box, ((part.pk, D(120)),)))
    world.cargo = Shipment.objects.get(pk=key)
    return world


def receive(world, box: int, quantity=120, day=TODAY) -> Receipt:
    part = ShipmentLine.objects.get(container__number=CONTAINERS[box])
    rows = (receiving.ReceiveRow(part.pk, D(quantity), True),)
    request = receiving.ReceiveRequest(part.container_id, world.site.pk, f"DN-{box}", day, rows)
    return Receipt.objects.get(pk=receiving.receive(world.act("dock"), request))


def take_back(world, receipt):
    reversing.reverse_receipt(world.act("dock"), ReverseRequest(receipt.pk, "wrong door"))


def sailed(world):
    shipment = Shipment.objects.get(pk=world.cargo.pk)
    return shipment.departed_on, shipment.arrived_on


def units(world) -> dict[str, int]:
    position = Position.objects.get()
    return {name: int(getattr(position, name)) for name in ("packed", "landed", "in_store") if getattr(position, name)}


def balances(company) -> dict[str, D]:
    sums = Posting.objects.filter(company=company).values_list("account")
    return dict(sums.annotate(total=Sum("amount")).order_by())


def gates() -> int:
    return DateStatement.objects.filter(milestone="gate_out", retracted=False).count()


def test_what_is_received_has_come_and_all_that_came_with_it(two_boxes):
    receive(two_boxes, 0, day=TODAY - DAY)
    assert sailed(two_boxes) == (TODAY - DAY, TODAY - DAY)
    assert units(two_boxes) == {"landed": 120, "in_store": 120}
    assert gates() == 1
    assert Matter.objects.get(kind="shipment").party == "customs"
    assert HistoryEntry.objects.get(action="implied").text.endswith(
        "departed and arrived by 23 Nov 2026, as it is received; no one said when"
    )
    # Ours by the receipt's day and rate, each container by itself: 120 x 18.40 x 1.6420 = 3,625.54.
    assert balances(two_boxes.nz)["owned_not_billed"] == D("-7251.08")


def test_its_reversal_takes_back_what_it_alone_proved(two_boxes):
    first, second = receive(two_boxes, 0), receive(two_boxes, 1, day=TODAY - DAY)
    take_back(two_boxes, first)
    assert sailed(two_boxes) == (TODAY - DAY, TODAY - DAY) and gates() == 1
    take_back(two_boxes, second)
    assert sailed(two_boxes) == (None, None) and gates() == 0
    assert units(two_boxes) == {"packed": 240}
    assert not any(balances(two_boxes.nz).values())


def test_what_was_said_stays_when_the_receipt_goes(two_boxes):
    plan(two_boxes)
    two_boxes.say(two_boxes.cargo, "departure", TODAY - 2 * DAY)
    receipt = receive(two_boxes, 0)
    assert sailed(two_boxes) == (TODAY - 2 * DAY, TODAY)
    take_back(two_boxes, receipt)
    assert sailed(two_boxes) == (TODAY - 2 * DAY, None)


def plan(world):
    legs = (pack.LegPlan("sea", "CNNGB", "NZTRG", TODAY - 3 * DAY, TODAY + 20 * DAY, True),)
    pack.plan_passage(world.act("shipping"), pack.PassageRequest(world.cargo.pk, None, legs))


def test_an_actual_day_goes_before_it_and_goods_are_valued_anew(two_boxes):
    plan(two_boxes)
    rates = two_boxes.daily_rates()
    receive(two_boxes, 0)
    worth = D("4416.00")
    assert balances(two_boxes.nz)["owned_not_billed"] == -(worth * rates[TODAY]).quantize(D("0.01"))
    # It arrived before the day that the receipt stands for; said last, the departure goes before all.
    two_boxes.say(two_boxes.cargo, "arrival", TODAY - 2 * DAY)
    two_boxes.say(two_boxes.cargo, "departure", TODAY - 9 * DAY)
    assert sailed(two_boxes) == (TODAY - 9 * DAY, TODAY - 2 * DAY)
    assert balances(two_boxes.nz)["owned_not_billed"] == -(worth * rates[TODAY - 9 * DAY]).quantize(D("0.01"))
    layer = CostLayer.objects.get(kind="stock")
    assert layer.value == (D("2208.00") * rates[TODAY - 9 * DAY]).quantize(D("0.01"))
    # Taken back, the receipt stands for the day again.
    said = DateStatement.objects.get(milestone="departure", kind="actual")
    retract.take_back(two_boxes.act("shipping"), retract.TakeBackRequest(said.pk))
    assert sailed(two_boxes)[0] <= sailed(two_boxes)[1]
    assert units(two_boxes) == {"landed": 120, "in_store": 120}


def test_what_is_packed_stands_on_the_dock_with_no_route(two_boxes, signed_in):
    page = signed_in("dock").get(reverse("dock")).content.decode()
    box = Container.objects.get(number=CONTAINERS[1])
    assert reverse("receive", args=[box.pk, two_boxes.site.pk]) in page
    assert "packed, not departed" in page and "not planned" in page
