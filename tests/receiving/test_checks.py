"""Checks whose strength the company chooses: each does what it says, wherever it is said."""

import re

import pytest
from django.urls import reverse

from northing.access.models import Person
from northing.actions.receiving import receive as receiving
from northing.actions.shipping import milestones
from northing.activity.models import HistoryEntry
from northing.core.problems import Refused
from northing.masterdata.models import Company, Party
from northing.receiving.models import Receipt
from northing.reports.readiness import readiness_of
from northing.shipping.models import Shipment, ShipmentLine
from tests.api.conftest import Program
from tests.worlds import TODAY, D

pytestmark = pytest.mark.django_db
# The strength, whether a person goes on all the same, and whether it happens.
CASES = [("warn", False, True), ("ask", False, False), ("ask", True, True), ("block", False, False)]
CASES += [("block", True, False)]


@pytest.fixture
def packed(world):
    world.cargo = world.shipment([world.sent_order({"A": D(240)})])
    return world


def receive(world, accept=False):
    part = ShipmentLine.objects.get()
    row = receiving.ReceiveRow(part.pk, D(240))
    request = receiving.ReceiveRequest(part.container_id, world.site.pk, "DN-1", TODAY, (row,), accept)
    return receiving.receive(world.act("dock"), request)


def depart(world, accept=False):
    leg = world.cargo.legs.get()
    request = milestones.DateRequest(leg.pk, "departure", "actual", TODAY, accept=accept)
    milestones.say_date(world.act("shipping"), request)


def happens(action, *arguments) -> bool:
    try:
        action(*arguments)
    except Refused as refused:
        (problem,) = refused.problems
        assert problem.where == "accept" and ("anyway" in problem.mend) == (problem.strength == "ask")
        return False
    return True


def strengths(world) -> list[str]:
    found = readiness_of(world.cargo, {world.nz.pk}, TODAY)
    return [one.strength.value for one in found.missing if "voyage" in one.what or "customs entry" in one.what]


@pytest.mark.parametrize(("strength", "accept", "done"), CASES)
def test_goods_from_abroad_without_a_customs_entry(packed, strength, accept, done):
    Company.objects.update(receive_without_entry=strength)
    packed.say(packed.cargo, "departure")
    packed.say(packed.cargo, "arrival")
    packed.cargo.refresh_from_db()
    assert strengths(packed) == [strength]
    assert happens(receive, packed, accept) == Receipt.objects.exists() == done
    if done:
        assert "KLN has no customs entry for S-00001" in HistoryEntry.objects.get(action="receive").text


def test_goods_from_here_need_no_entry(packed):
    Company.objects.update(receive_without_entry="block")
    Party.objects.filter(kind="supplier").update(country="NZ")
    assert happens(receive, packed)


@pytest.mark.parametrize(("strength", "accept", "done"), CASES)
def test_a_vessel_that_leaves_without_a_voyage(packed, strength, accept, done):
    Company.objects.filter(code="KLN").update(depart_without_voyage=strength)
    Company.objects.filter(code="KLA").update(depart_without_voyage="block")  # it has no goods aboard
    assert strengths(packed) == [strength]
    assert happens(depart, packed, accept) == done
    assert bool(Shipment.objects.get().departed_on) == done


def test_the_dock_is_asked_on_the_page_and_answers_with_one_button(packed, signed_in):
    Company.objects.update(receive_without_entry="ask")
    url = reverse("receive", args=[ShipmentLine.objects.get().container_id, packed.site.pk])
    client, sent = signed_in("dock"), {"key": "k", "delivery_note": "DN-1", "occurred_on": TODAY.isoformat()}
    answer = client.post(url, sent | {"all": ""})
    page = answer.content.decode()
    assert answer.status_code == 422 and "Book it first, or receive it anyway" in page
    assert '<button class="btn main" name="accept">' in page
    # The figures that were meant stand in their fields.
    row = f"row-{ShipmentLine.objects.get().pk}"
    assert re.search(rf'name="{row}" value="240"', page)
    client.post(url, sent | {row: "240", "accept": ""})
    assert Receipt.objects.get().lines.get().quantity == 240


@pytest.mark.parametrize(("strength", "words"), [("ask", "anyway"), ("block", "departs without a voyage")])
def test_the_ripple_says_what_is_missing_before_it_is_recorded(packed, signed_in, strength, words):
    Company.objects.update(depart_without_voyage=strength)
    leg = packed.cargo.legs.get().pk
    sent = {"key": "k", "leg": leg, "milestone": "departure", "kind": "actual", "value": TODAY.isoformat()}
    client, url = signed_in("shipping"), reverse("say-date", args=[packed.cargo.pk])
    page = client.post(url, sent).content.decode()
    assert words in page and ('name="confirmed"' in page) == (strength == "ask")
    refused = client.post(url, sent | {"confirmed": "yes"})
    assert refused.status_code == 422 and Shipment.objects.get().departed_on is None
    if strength == "ask":
        client.post(url, sent | {"confirmed": "yes", "accept": "yes"})
        assert Shipment.objects.get().departed_on == TODAY


def test_the_api_is_asked_too(packed):
    Company.objects.update(receive_without_entry="ask")
    part = ShipmentLine.objects.get()
    sent = {
        "site": "TRG",
        "delivery_note": "DN-1",
        "received_on": TODAY.isoformat(),
        "container": part.container_id,
        "rows": [{"shipment_line": part.pk, "quantity": "240"}],
    }
    program = Program(packed, Person.objects.get(username="dock").username)
    answer = program.send("post", "/receipts", sent)
    assert answer.status_code == 422 and answer.json()["problems"][0]["strength"] == "ask"
    assert program.send("post", "/receipts", sent | {"accept": True}).status_code == 201
