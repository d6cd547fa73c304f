"""Containers by themselves: their clocks, whose move they are, what is refused, and the estimate they come to."""

import re
from datetime import timedelta
from decimal import Decimal as D

import pytest
import time_machine
from django.urls import reverse

from northing.access.models import Person
from northing.actions.masterdata import records
from northing.actions.shipping import container_milestones, pack
from northing.actions.worklist import proof
from northing.core.problems import NotAllowed, Refused
from northing.costing.models import Charge
from northing.masterdata.models import FreeTime
from northing.reports.book_proof import book_faults
from northing.reports.clocks import standings_of
from northing.reports.proofs import position_faults
from northing.shipping.models import Container, DateStatement
from northing.shipping.operations import LegPlan
from northing.shipping.queries import believed_of
from northing.worklist.models import Matter
from tests.stages import staged
from tests.worlds import CALLS, CONTAINERS, NOW, TODAY

DAY = timedelta(days=1)
LANDED = TODAY - 8 * DAY


def land(world):
    """A container of the forwarder's own vessel, landed eight days ago: five are free, with NZD 80 a day after that."""
    shipment = world.shipment([world.sent_order({"A": D(240)}, ours_from="receipt")])
    asked = pack.VoyageRequest("Heron", "9074729", "1", world.parties["provider"].pk, CALLS)
    voyage = pack.create_voyage(world.act("shipping"), asked)
    plan = LegPlan("sea", "CNNGB", "NZTRG", TODAY - 40 * DAY, TODAY - 9 * DAY, True)
    pack.plan_passage(world.act("shipping"), pack.PassageRequest(shipment.pk, voyage, (plan,)))
    world.say(shipment, "departure", TODAY - 40 * DAY)
    world.say(shipment, "arrival", LANDED)
    world.box = Container.objects.get()


landed = staged("landed", land)


def clocks(today=TODAY):
    boxes = Container.objects.select_related("shipment__voyage__carrier", "shipment__discharge_port")
    return [(one.free.covers, one.free_until, one.clock(today).cost) for one in standings_of(boxes)]


def say(world, milestone, day, who="shipping", boxes=None):
    picked = (world.box.pk,) if boxes is None else boxes
    asked = container_milestones.BoxesRequest(world.box.shipment_id, picked, milestone, day)
    return container_milestones.say_boxes(world.act(who), asked)


def test_the_clock_runs_from_the_arrival_until_the_empty_is_back(landed):
    assert clocks() == [("combined", LANDED + 4 * DAY, D("320.00"))]
    assert clocks(LANDED + 4 * DAY)[0][2] == 0
    say(landed, "discharged", LANDED + DAY)
    assert clocks() == [("combined", LANDED + 5 * DAY, D("240.00"))]
    say(landed, "gate_out", LANDED + 3 * DAY)
    say(landed, "returned", LANDED + 6 * DAY)
    assert clocks(TODAY + 90 * DAY) == [("combined", LANDED + 5 * DAY, D("80.00"))]


def test_whose_move_it_is_until_it_is_back(landed):
    matter = Matter.objects.get(kind="container")
    assert (matter.party, matter.due, matter.per_day) == ("us", LANDED + 4 * DAY, 80)
    assert matter.reason == f"fetch the container: free until {matter.due:%-d %b}, then NZD 80.00 a day"
    say(landed, "returned", TODAY)
    assert not Matter.objects.filter(kind="container").exists()
    assert proof.move_faults() == []


def test_the_nearest_terms_hold(landed):
    free = FreeTime.objects.get()
    texts = {"carrier": "FWD", "valid_from": "2026-01-01", "starts": "discharged", "ends": "gate_out"}
    texts |= {"currency": "NZD", "covers": "combined", "free_days": "2", "tiers": "1: 100"}
    texts |= {"size_type": "22G1", "port": "NZTRG"}
    records.keep_record(landed.act("costs"), records.RecordRequest("free-time", None, tuple(texts.items())))
    assert clocks() == [("combined", LANDED + DAY, D("700.00"))], "the container's own type goes before any type"
    assert Matter.objects.get(kind="container").due == LANDED + DAY, "new terms move what is due at once"
    FreeTime.objects.exclude(pk=free.pk).update(valid_from=TODAY)
    assert clocks() == [("combined", LANDED + 4 * DAY, D("320.00"))], "terms of a later day do not hold"
    FreeTime.objects.update(port="AUMEL")
    assert clocks() == [], "nor those of another port"


@pytest.mark.parametrize(
    ("milestone", "day", "words"),
    [
        ("returned", LANDED - DAY, "the step before was on"),
        ("gate_out", TODAY + DAY, "not come yet|future|after today"),
        ("arrival", TODAY, "discharged, gate out or returned"),
        ("gate_out", LANDED - 400 * DAY, "the step before was on"),
    ],
)
def test_what_is_refused(landed, milestone, day, words):
    with pytest.raises(Refused, match=words):
        say(landed, milestone, day)
    assert not DateStatement.objects.filter(container__isnull=False).exists()


def test_steps_come_one_after_the_other(landed):
    say(landed, "gate_out", LANDED + 3 * DAY)
    with pytest.raises(Refused, match="the step before was on"):
        say(landed, "returned", LANDED + 2 * DAY)
    say(landed, "returned", LANDED + 5 * DAY)
    with pytest.raises(Refused, match="the step after was on"):
        say(landed, "gate_out", LANDED + 6 * DAY)
    say(landed, "gate_out", LANDED + 5 * DAY)
    assert DateStatement.objects.filter(milestone="gate_out").count() == 2, "corrected, not overwritten"


def test_who_may_and_of_which_containers(landed):
    with pytest.raises(NotAllowed):
        say(landed, "gate_out", TODAY, who="viewer")
    for boxes in ((), (landed.box.pk, 10**9)):
        with pytest.raises(Refused, match="containers of this shipment"):
            say(landed, "gate_out", TODAY, boxes=boxes)


def test_what_was_taken_out_has_arrived_and_departed_though_nobody_said_so(world):
    """The first word of the whole passage: it had left by then, and was there."""
    shipment = world.shipment([world.sent_order({"A": D(240)})])
    world.box = Container.objects.get(number=CONTAINERS[0])
    say(world, "gate_out", TODAY)
    shipment.refresh_from_db()
    assert (shipment.departed_on, shipment.arrived_on, shipment.place) == (TODAY - 2 * DAY, TODAY, "landed")
    assert DateStatement.objects.get(milestone="arrival").source == "no one: it follows from taken out of the port"
    # A person who knows better corrects it, though he spoke earlier than that.
    world.say(shipment, "arrival", TODAY - DAY)
    shipment.refresh_from_db()
    assert shipment.arrived_on == TODAY - DAY
    assert position_faults() == book_faults() == []


@time_machine.travel(NOW, tick=True)
def test_on_the_page_and_as_an_estimate(landed, client):
    client.force_login(Person.objects.get(username="shipping"))
    url = reverse("shipment", args=[landed.box.shipment_id])
    page = client.get(url).content.decode()
    assert "Free time" in page and "320.00" in page and "80.00" in page
    entered = {"key": "k", "containers": [landed.box.pk], "milestone": "gate_out", "value": LANDED.isoformat()}
    answer = client.post(reverse("say-boxes", args=[landed.box.shipment_id]), entered, follow=True)
    assert "their clocks and dates follow" in answer.content.decode()
    bad = entered | {"key": "l", "value": "x"}
    wrong = client.post(reverse("say-boxes", args=[landed.box.shipment_id]), bad, follow=True)
    assert "year-month-day" in wrong.content.decode()
    client.force_login(Person.objects.get(username="costs"))
    named = {"box": landed.box.pk, "clock": FreeTime.objects.get().pk}
    form = client.get(reverse("new-charge"), named).context["form"]
    assert (form["amount"].value(), form["kind"].value()) == ("320", "storage")
    assert form["over"].value() == landed.box.number
    said = {field.html_name: field.value() for field in form if field.value()} | {"company": landed.nz.pk}
    answer = client.post(reverse("new-charge"), said | {"key": "c"})
    assert answer.status_code == 302, answer.context["form"].errors
    charge = Charge.objects.get(kind="storage")
    assert (charge.amount, charge.billed, charge.payee) == (320, None, landed.parties["provider"])


def test_queries_do_not_grow_with_containers(landed, django_assert_max_num_queries):
    shipment = landed.box.shipment
    many = [Container(shipment=shipment, number=f"QXNU{n:07d}", size_type="22G1") for n in range(300)]
    Container.objects.bulk_create(many)
    with django_assert_max_num_queries(6):
        assert len(clocks()) == 301


def test_every_date_says_whence_it_comes_and_what_it_replaced(landed, client):
    shipment = landed.box.shipment
    world_says = [("2", "estimated"), ("1", "actual"), ("0", "actual")]
    for days, kind in world_says:
        asked = container_milestones.BoxesRequest(
            shipment.pk, (landed.box.pk,), "gate_out", LANDED + int(days) * DAY, kind=kind
        )
        container_milestones.say_boxes(landed.act("shipping"), asked)
    said = DateStatement.objects.filter(container=landed.box)
    assert believed_of(said) == {said.order_by("pk").last().pk}
    client.force_login(Person.objects.get(username="shipping"))
    page = client.get(reverse("shipment", args=[shipment.pk])).content.decode()
    shown = re.findall(r"said by [^<]*<small>(.*?)</small>", page)
    # The container's three words; the arrival and the departure of its vessel.
    assert shown == ["believed", "replaced", "replaced", "believed", "believed"]
