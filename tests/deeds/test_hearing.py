"""Carriers' events: late, twice, out of order, withdrawn, of what is not ours; in any order the same is believed."""

import json
from datetime import timedelta
from decimal import Decimal as D
from itertools import permutations

import pytest
from django.core.files.uploadedfile import SimpleUploadedFile
from django.db import transaction
from django.urls import reverse

from northing.core.problems import NotAllowed, Refused
from northing.deeds.ship import hearing, packing
from northing.directory.models import Person
from northing.papers import errands
from northing.papers.models import Errand
from northing.reports.clocks import facts_of
from northing.shipping.models import CarrierEvent, Container, DateStatement, Shipment
from northing.shipping.operations import LegPlan
from tests.factories import CALLS, CONTAINERS, NOW, TODAY

DAY = timedelta(days=1)
IMO = "9074729"
ELSEWHERE = {"UNLocationCode": "AUMEL", "vessel": {"vesselIMONumber": IMO}}


@pytest.fixture
def afloat(world):
    """A shipment whose vessel is to leave in two days and to arrive in thirty."""
    world.cargo = world.shipment([world.sent_order({"A": D(240)}, ours_from="receipt")])
    asked = packing.VoyageRequest("Heron", IMO, "221S", world.parties["provider"].pk, CALLS)
    voyage = packing.create_voyage(world.act("shipping"), asked)
    plan = LegPlan("sea", "CNNGB", "NZTRG", TODAY + 2 * DAY, TODAY + 30 * DAY, True)
    packing.plan_passage(world.act("shipping"), packing.PassageRequest(world.cargo.pk, voyage, (plan,)))
    return world


def call(event_id, code, days, said, kind="EST", **more):
    """A vessel's arrival or departure `days` from today, said so many hours from now."""
    return {
        "eventID": event_id,
        "eventType": "TRANSPORT",
        "transportEventTypeCode": code,
        "eventClassifierCode": kind,
        "eventDateTime": f"{(TODAY + days * DAY).isoformat()}T08:00:00+13:00",
        "eventCreatedDateTime": (NOW + timedelta(hours=said)).isoformat(),
        "transportCall": {
            "UNLocationCode": "NZTRG" if code == "ARRI" else "CNNGB",
            "carrierVoyageNumber": "221S",
            "vessel": {"vesselIMONumber": IMO},
        },
    } | more


def box(event_id, code, days, empty=None, number=CONTAINERS[0]):
    """What happened to a container."""
    return {
        "eventID": event_id,
        "eventType": "EQUIPMENT",
        "equipmentEventTypeCode": code,
        "eventClassifierCode": "ACT",
        "eventDateTime": f"{(TODAY + days * DAY).isoformat()}T08:00:00+13:00",
        "eventCreatedDateTime": NOW.isoformat(),
        "equipmentReference": number,
        "emptyIndicatorCode": empty,
    }


def hear(world, *events, who="shipping", source="Vantara feed"):
    return hearing.hear(world.act(who), hearing.EventsRequest(source, json.dumps(events).encode()))


def dock(world):
    return Shipment.objects.get(pk=world.cargo.pk).expected_dock


def test_an_estimate_moves_the_dock_date_and_says_whence(afloat):
    heard = hear(afloat, call("a", "ARRI", 33, 0))
    assert (heard["new"], heard["tied"], dock(afloat)) == (1, 1, TODAY + 33 * DAY)
    said = DateStatement.objects.get(event__event_id="a")
    assert (said.source, said.said_by, said.said_at) == ("Vantara feed", None, NOW)


def test_twice_is_once(afloat):
    hear(afloat, call("a", "ARRI", 33, 0))
    heard = hear(afloat, call("a", "ARRI", 40, 9), call("b", "ARRI", 34, 1), call("b", "ARRI", 35, 1))
    assert (heard["new"], heard["known"]) == (1, 2) and dock(afloat) == TODAY + 34 * DAY
    assert CarrierEvent.objects.count() == 2
    assert hear(afloat, call("a", "ARRI", 36, 9), source="another")["new"] == 1, "each sender has ids of its own"


def test_whatever_the_order_the_newest_word_of_the_strongest_kind_is_believed(afloat):
    events = [
        call("old", "ARRI", 33, -20),
        call("new", "ARRI", 36, -2),
        call("gone", "ARRI", 50, -1),
        call("back", "ARRI", 50, 0, retractedEventID="gone"),
    ]
    for order in permutations(events):
        with transaction.atomic():
            for event in order:
                hear(afloat, event)
            assert dock(afloat) == TODAY + 36 * DAY, [event["eventID"] for event in order]
            transaction.set_rollback(True)
        with transaction.atomic():
            hear(afloat, *order)
            assert dock(afloat) == TODAY + 36 * DAY
            transaction.set_rollback(True)


def test_what_has_happened_goes_before_what_was_estimated_later(afloat):
    hear(afloat, call("d", "DEPA", -1, -5, "ACT"), call("e", "DEPA", 3, 0))
    shipment = Shipment.objects.get(pk=afloat.cargo.pk)
    assert (shipment.departed_on, shipment.place) == (TODAY - DAY, "under_way")
    assert shipment.legs.get().expected_start == TODAY - DAY


def test_a_container_by_itself(afloat):
    hear(afloat, call("d", "DEPA", -20, -5, "ACT"), call("a", "ARRI", -9, -4, "ACT"))
    heard = hear(afloat, box("x", "DISC", -8), box("y", "GTOT", -6, "LADEN"), box("z", "GTIN", -2, "EMPTY"))
    assert heard["tied"] == 3
    found = facts_of(Container.objects.select_related("shipment"))[Container.objects.get().pk]
    assert found == {"discharged": TODAY - 8 * DAY, "gate_out": TODAY - 6 * DAY, "returned": TODAY - 2 * DAY}
    hear(afloat, box("w", "GTIN", -2, "EMPTY") | {"retractedEventID": "z"})
    found = facts_of(Container.objects.select_related("shipment"))[Container.objects.get().pk]
    assert "returned" not in found


@pytest.mark.parametrize(
    ("event", "words"),
    [
        (call("a", "DEPA", 3, 0, "ACT"), "has not come"),
        (
            call("a", "ARRI", 33, 0)
            | {"transportCall": {"UNLocationCode": "AUMEL", "vessel": {"vesselIMONumber": IMO}}},
            "No voyage",
        ),
        (call("a", "ARRI", 33, 0) | {"transportCall": {}}, "No voyage of IMO none"),
        (call("a", "ARRI", 200, 0), "around that day"),
        (call("a", "ARRI", -1, 0, "ACT"), "departure is not recorded"),
        (box("a", "DISC", -1, number="XXXU1234567"), "No container XXXU1234567"),
        (box("a", "DISC", -1), "of ours was under way"),
    ],
)
def test_what_fits_nothing_or_cannot_be_waits_and_says_why(afloat, event, words):
    heard = hear(afloat, event)
    record = CarrierEvent.objects.get()
    assert heard["waits"] == 1 and record.state == "waits" and words in record.says
    assert not DateStatement.objects.filter(event=record).exists() and dock(afloat) == TODAY + 30 * DAY


def test_what_waits_is_tried_again_or_dropped(afloat):
    hear(afloat, call("a", "ARRI", -1, 0, "ACT"), box("b", "DISC", -1, number="XXXU1234567"))
    late, strange = CarrierEvent.objects.get(event_id="a"), CarrierEvent.objects.get(event_id="b")
    with pytest.raises(Refused, match="departure is not recorded"):
        hearing.try_again(afloat.act("shipping"), hearing.EventRequest(late.pk))
    hear(afloat, call("d", "DEPA", -20, 0, "ACT"))
    hearing.try_again(afloat.act("shipping"), hearing.EventRequest(late.pk))
    hearing.drop(afloat.act("shipping"), hearing.EventRequest(strange.pk))
    assert dict(CarrierEvent.objects.values_list("event_id", "state")) == {"a": "tied", "b": "dropped", "d": "tied"}
    with pytest.raises(Refused, match="does not wait"):
        hearing.drop(afloat.act("shipping"), hearing.EventRequest(strange.pk))


def test_a_departure_that_goods_have_followed_is_not_taken_back_by_a_message(afloat):
    hear(afloat, call("d", "DEPA", -1, -5, "ACT"))
    hear(afloat, call("r", "DEPA", -1, 0, "ACT", retractedEventID="d"))
    assert Shipment.objects.get(pk=afloat.cargo.pk).departed_on == TODAY - DAY
    assert "goods have followed" in CarrierEvent.objects.get(event_id="r").says
    assert not CarrierEvent.objects.get(event_id="d").retracted


def test_wrong_events_are_named_and_the_others_kept(afloat):
    heard = hear(afloat, call("a", "ARRI", 33, 0), {"eventID": "b"}, 7, {"eventType": "SHIPMENT"})
    assert heard["new"] == 1 and [words.partition(":")[0] for words in heard["wrong"]] == [
        "Event 2",
        "Event 3",
        "Event 4",
    ]
    noted = call("n", "ARRI", 33, 0) | {"eventType": "SHIPMENT", "shipmentEventTypeCode": "ISSU"}
    assert hear(afloat, noted)["noted"] == 1


def test_who_may(afloat):
    with pytest.raises(NotAllowed):
        hear(afloat, call("a", "ARRI", 33, 0), who="viewer")
    with pytest.raises(Refused, match="from whom"):
        hear(afloat, call("a", "ARRI", 33, 0), source=" \x00 ")


def test_on_the_page(afloat, client):
    client.force_login(Person.objects.get(username="shipping"))
    sent = [box("b", "DISC", -1, number="XXXU1234567"), 7, call("a", "ARRI", 33, 0)]
    file = SimpleUploadedFile("events.json", json.dumps(sent).encode())
    page = client.post(reverse("events"), {"key": "k", "source": "Vantara", "file": file}, follow=True).content.decode()
    assert dock(afloat) == TODAY + 33 * DAY
    assert (
        "Heard: 2 new, 1 believed, 1 waiting" in page and "Event 2: it is no object" in page and "XXXU1234567" in page
    )
    key = CarrierEvent.objects.get(event_id="b").pk
    again = client.post(reverse("event-again", args=[key]), {"key": "a"}, follow=True)
    assert "No container XXXU1234567" in again.content.decode()
    client.post(reverse("drop-event", args=[key]), {"key": "d"})
    assert "XXXU1234567" in client.get(reverse("events") + "?state=dropped").content.decode()
    bad = client.post(reverse("events"), {"key": "b", "source": "V", "file": SimpleUploadedFile("x.json", b"no")})
    assert bad.status_code == 422 and "no JSON" in bad.content.decode()


def test_a_long_file_is_the_workers_and_goes_on_where_it_was_killed(afloat, client, settings, tmp_path, monkeypatch):
    settings.FILES = tmp_path
    monkeypatch.setattr(hearing, "LOT", 40)
    many = [box(f"b{n}", "DISC", -1, number="XXXU1234567") for n in range(150)] + [call("a", "ARRI", 33, 0)]
    file = SimpleUploadedFile("events.json", json.dumps(many).encode())
    client.force_login(Person.objects.get(username="shipping"))
    answer = client.post(reverse("events"), {"key": "k", "source": "Vantara", "file": file})
    errand = Errand.objects.get()
    assert answer.url == reverse("errand", args=[errand.pk]) and (errand.total, errand.done) == (151, 0)

    heard = hearing.hear
    taken = []

    def killed_in_the_third_lot(act, request):
        if len(taken) == 2:
            raise KeyboardInterrupt
        taken.append(heard(act, request))
        return taken[-1]

    monkeypatch.setattr(hearing, "hear", killed_in_the_third_lot)
    with pytest.raises(KeyboardInterrupt):
        errands.run(errand.pk)
    assert CarrierEvent.objects.count() == 80
    monkeypatch.setattr(hearing, "hear", heard)
    errands.run(errand.pk)
    errand.refresh_from_db()
    assert (errand.state, errand.done, CarrierEvent.objects.count()) == ("done", 151, 151)
    assert dock(afloat) == TODAY + 33 * DAY
