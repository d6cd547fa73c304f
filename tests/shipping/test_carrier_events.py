"""Carriers' events: late, twice, out of order, withdrawn, of what is not ours; in any order the same is believed."""

import contextlib
import json
from datetime import timedelta
from decimal import Decimal as D
from itertools import permutations

import pytest
from django.core.files.uploadedfile import SimpleUploadedFile
from django.db import transaction
from django.urls import reverse
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from northing.access.models import Person
from northing.actions.receiving import reverse as reversing
from northing.actions.reversal import ReverseRequest
from northing.actions.shipping import carrier_events, pack
from northing.actions.worklist.proof import move_faults
from northing.activity.models import HistoryEntry
from northing.core.problems import NotAllowed, Refused
from northing.formats.identifiers import with_container_check_digit
from northing.jobs import jobs
from northing.jobs.models import Job
from northing.orders.models import PurchaseOrder
from northing.receiving.models import Receipt
from northing.reports.book_proof import book_faults
from northing.reports.clocks import facts_of
from northing.reports.proofs import position_faults
from northing.shipping.models import CarrierEvent, Container, DateStatement, PortCall, Ripple, Shipment, ShipmentLine
from northing.shipping.operations import LegPlan
from northing.web.shipping.queries.likely_matches import likely_boxes
from northing.worklist.models import LineSummary
from tests.stages import staged
from tests.worlds import CALLS, CONTAINERS, NOW, TODAY

DAY = timedelta(days=1)
IMO = "9074729"
THIRD = with_container_check_digit("QXNU700001")
ELSEWHERE = {"UNLocationCode": "AUMEL", "vessel": {"vesselIMONumber": IMO}}


def cargo(world, leaves, arrives):
    """A shipment whose vessel is to leave and to arrive so many days from today."""
    world.cargo = world.shipment([world.sent_order({"A": D(240)}, ours_from="receipt")])
    asked = pack.VoyageRequest("Heron", IMO, "221S", world.parties["provider"].pk, CALLS)
    voyage = world.heron = pack.create_voyage(world.act("shipping"), asked)
    plan = LegPlan("sea", "CNNGB", "NZTRG", TODAY + leaves * DAY, TODAY + arrives * DAY, True)
    pack.plan_passage(world.act("shipping"), pack.PassageRequest(world.cargo.pk, voyage, (plan,)))
    return world


afloat = staged("afloat", lambda world: cargo(world, 2, 30))


@pytest.fixture
def daily_rates(afloat):
    """Goods that become ours on board, and another rate for each day, by which one sees on which they did."""
    PurchaseOrder.objects.update(ours_from="on_board")
    return afloat.daily_rates()


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
    """Return what happened to a container."""
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
    return carrier_events.hear(world.act(who), carrier_events.EventsRequest(source, json.dumps(events).encode()))


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
    # Every fifth order: the random test below has the rest.
    for order in list(permutations(events))[::5]:
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
    hear(afloat, box("a", "GTIN", -1, "EMPTY"), box("b", "DISC", -1, number="XXXU1234567"))
    late, strange = CarrierEvent.objects.get(event_id="a"), CarrierEvent.objects.get(event_id="b")
    with pytest.raises(Refused, match="of ours was under way"):
        carrier_events.try_again(afloat.act("shipping"), carrier_events.EventRequest(late.pk))
    hear(afloat, call("d", "DEPA", -20, 0, "ACT"))
    carrier_events.try_again(afloat.act("shipping"), carrier_events.EventRequest(late.pk))
    carrier_events.drop(afloat.act("shipping"), carrier_events.EventRequest(strange.pk))
    assert dict(CarrierEvent.objects.values_list("event_id", "state")) == {"a": "tied", "b": "dropped", "d": "tied"}
    with pytest.raises(Refused, match="does not wait"):
        carrier_events.drop(afloat.act("shipping"), carrier_events.EventRequest(strange.pk))


def test_a_departure_that_is_withdrawn_has_not_been(afloat):
    hear(afloat, call("d", "DEPA", -1, -5, "ACT"))
    hear(afloat, call("r", "DEPA", -1, 0, "ACT", retractedEventID="d"))
    assert Shipment.objects.get(pk=afloat.cargo.pk).place == "packed"
    assert CarrierEvent.objects.get(event_id="d").retracted
    assert position_faults() == book_faults() == move_faults() == []


def test_an_arrival_that_follows_from_two_containers_goes_with_the_second(world):
    afloat = cargo(world, -20, -4)
    Container.objects.create(shipment=afloat.cargo, number=CONTAINERS[1], size_type="22G1")
    heard = hear(afloat, box("a", "DISC", -3), box("b", "DISC", -2, number=CONTAINERS[1]))
    assert heard["tied"] == 2 and Shipment.objects.get(pk=afloat.cargo.pk).place == "landed"
    for event_id, place in (("a", "landed"), ("b", "packed")):
        hear(afloat, box(f"-{event_id}", "DISC", -3) | {"retractedEventID": event_id})
        assert Shipment.objects.get(pk=afloat.cargo.pk).place == place
    assert not DateStatement.objects.filter(retracted=False).exists()
    assert position_faults() == book_faults() == move_faults() == []


def test_a_withdrawal_that_a_receipt_stands_against_does_not_stop_the_lot(world):
    afloat = cargo(world, -20, -4)
    hear(afloat, call("c", "ARRI", -4, -5, "ACT"))
    afloat.receive(afloat.cargo, {"A": D(240)})
    heard = hear(afloat, call("-d", "ARRI", -4, 0) | {"retractedEventID": "c"}, box("e", "DISC", -3))
    assert (heard["waits"], heard["new"]) == (1, 2)
    assert "Reverse the receipt first" in CarrierEvent.objects.get(event_id="-d").says
    assert Shipment.objects.get(pk=afloat.cargo.pk).place == "landed"


def test_a_withdrawal_waits_while_goods_have_gone_on(afloat):
    hear(afloat, call("d", "DEPA", -20, -9, "ACT"), call("a", "ARRI", -5, -8, "ACT"))
    afloat.receive(afloat.cargo, {"A": D(240)})
    hear(afloat, call("r", "ARRI", -5, 0, "ACT", retractedEventID="a"), call("s", "DEPA", -19, 0, "ACT"))
    waits = CarrierEvent.objects.get(event_id="r")
    assert (waits.state, "Reverse the receipt first" in waits.says) == ("waits", True)
    shipment = Shipment.objects.get(pk=afloat.cargo.pk)
    assert (shipment.place, shipment.departed_on) == ("landed", TODAY - 19 * DAY), "the rest of the batch is taken in"
    assert not CarrierEvent.objects.get(event_id="a").retracted
    again = carrier_events.EventRequest(waits.pk)
    with pytest.raises(Refused, match="Reverse the receipt first"):
        carrier_events.try_again(afloat.act("shipping"), again)
    reversing.reverse_receipt(afloat.act("dock"), ReverseRequest(Receipt.objects.get().pk, "wrong"))
    carrier_events.try_again(afloat.act("shipping"), again)
    assert Shipment.objects.get(pk=afloat.cargo.pk).place == "under_way"
    assert position_faults() == book_faults() == move_faults() == []


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
    monkeypatch.setattr(carrier_events, "BATCH", 40)
    many = [box(f"b{n}", "DISC", -1, number="XXXU1234567") for n in range(150)] + [call("a", "ARRI", 33, 0)]
    file = SimpleUploadedFile("events.json", json.dumps(many).encode())
    client.force_login(Person.objects.get(username="shipping"))
    answer = client.post(reverse("events"), {"key": "k", "source": "Vantara", "file": file})
    job = Job.objects.get()
    assert answer.url == reverse("job", args=[job.pk]) and (job.total, job.done) == (151, 0)

    heard = carrier_events.hear
    taken = []

    def killed_in_the_third_lot(act, request):
        if len(taken) == 2:
            raise KeyboardInterrupt
        taken.append(heard(act, request))
        return taken[-1]

    monkeypatch.setattr(carrier_events, "hear", killed_in_the_third_lot)
    with pytest.raises(KeyboardInterrupt):
        jobs.run(job.pk)
    assert CarrierEvent.objects.count() == 80
    monkeypatch.setattr(carrier_events, "hear", heard)
    jobs.run(job.pk)
    job.refresh_from_db()
    assert (job.state, job.done, CarrierEvent.objects.count()) == ("done", 151, 151)
    assert dock(afloat) == TODAY + 33 * DAY


def test_a_plan_of_the_carrier_takes_the_place_of_ours(afloat):
    hear(afloat, call("p", "ARRI", 32, 0, "PLN"))
    assert dock(afloat) == TODAY + 32 * DAY
    hear(afloat, call("e", "ARRI", 34, -5))
    assert dock(afloat) == TODAY + 34 * DAY, "an estimate goes before a plan, though it is older"


def expected_on(line):
    return LineSummary.objects.get(line=line).expected_on


def test_a_container_goes_before_its_vessel(afloat):
    """Of two containers one is to be discharged later: its part is at the dock later, and the line is complete then."""
    order = afloat.sent_order({"B": D(100)})
    line, part = order.lines.get(), order.lines.get().instalments.get()
    boxes = []
    for number in (CONTAINERS[1], THIRD):
        asked = pack.ContainerRequest(afloat.cargo.pk, number, "22G1")
        boxes.append(pack.add_container(afloat.act("shipping"), asked))
        pack.stow(afloat.act("shipping"), pack.StowRequest(boxes[-1], ((part.pk, D(50)),)))
    plans = (
        LegPlan("sea", "CNNGB", "NZTRG", TODAY + 2 * DAY, TODAY + 30 * DAY, True),
        LegPlan("road", "NZTRG", "TRG", TODAY + 32 * DAY, TODAY + 33 * DAY),
    )
    pack.plan_passage(afloat.act("shipping"), pack.PassageRequest(afloat.cargo.pk, afloat.heron, plans))
    hear(afloat, box("x", "DISC", 37, number=CONTAINERS[1]) | {"eventClassifierCode": "EST"})
    days = dict(Container.objects.values_list("number", "own_dock"))
    assert days == {CONTAINERS[0]: None, CONTAINERS[1]: TODAY + 40 * DAY, THIRD: None}
    assert (expected_on(line), dock(afloat)) == (TODAY + 40 * DAY, TODAY + 33 * DAY)
    told = Ripple.objects.get(person__isnull=False)
    assert [row[0] for row in told.lines] == [line.pk], "its owner is told, and no one else"
    # The vessel slips: the container's own day stays, that of the others goes with it.
    hear(afloat, call("v", "ARRI", 35, 1))
    days = dict(Container.objects.values_list("number", "own_dock"))
    assert (days[CONTAINERS[1]], dock(afloat)) == (TODAY + 40 * DAY, TODAY + 38 * DAY)
    # It leaves the port on another day; taken back, it goes with its vessel again.
    hear(afloat, box("o", "GTOT", 45, number=CONTAINERS[1]) | {"eventClassifierCode": "EST"})
    assert Container.objects.get(pk=boxes[0]).own_dock == TODAY + 46 * DAY
    for event_id, code in (("x", "DISC"), ("o", "GTOT")):
        hear(afloat, box(f"{event_id}-", code, 37, number=CONTAINERS[1]) | {"retractedEventID": event_id})
    assert (Container.objects.get(pk=boxes[0]).own_dock, expected_on(line)) == (None, TODAY + 38 * DAY)
    assert move_faults() == []


def test_a_discharge_on_the_way_is_not_the_end(afloat):
    hear(afloat, call("d", "DEPA", -20, -5, "ACT"))
    port = {"transportCall": {"UNLocationCode": "AUMEL"}}
    heard = hear(afloat, box("x", "DISC", -8) | port)
    assert (
        heard["noted"] == 1
        and "at AUMEL, where its passage does not end" in CarrierEvent.objects.get(event_id="x").says
    )
    assert Shipment.objects.get(pk=afloat.cargo.pk).arrived_on is None


def test_what_comes_later_implies_what_came_before(world):
    """The feed begins with the container: its vessel was there by then, and had left before."""
    afloat = cargo(world, -27, -2)
    heard = hear(afloat, box("x", "DISC", -3), box("y", "GTIN", -1, "EMPTY"))
    assert heard["tied"] == 2, list(CarrierEvent.objects.values_list("says", flat=True))
    shipment = Shipment.objects.get(pk=afloat.cargo.pk)
    assert (shipment.arrived_on, shipment.place) == (TODAY - 3 * DAY, "landed")
    assert shipment.departed_on <= shipment.arrived_on
    assert HistoryEntry.objects.filter(action="implied", text__contains="no one said when").exists()
    # What really happened comes late, said before that: it is believed all the same.
    hear(afloat, call("d", "DEPA", -30, -50, "ACT"), call("a", "ARRI", -4, -40, "ACT"))
    shipment.refresh_from_db()
    assert (shipment.departed_on, shipment.arrived_on) == (TODAY - 30 * DAY, TODAY - 4 * DAY)
    assert position_faults() == book_faults() == move_faults() == []


def test_a_carrier_corrects_what_happened(afloat):
    hear(afloat, call("d", "DEPA", -20, -9, "ACT"), call("a", "ARRI", -5, -8, "ACT"))
    hear(afloat, call("d2", "DEPA", -19, -7, "ACT"), call("a2", "ARRI", -4, -6, "ACT"))
    shipment = Shipment.objects.get(pk=afloat.cargo.pk)
    assert (shipment.departed_on, shipment.arrived_on) == (TODAY - 19 * DAY, TODAY - 4 * DAY)
    # One of two words may be taken back; then the other is believed.
    hear(afloat, call("r", "ARRI", -4, 0, "ACT", retractedEventID="a2"))
    shipment.refresh_from_db()
    assert shipment.arrived_on == TODAY - 5 * DAY
    heard = hear(afloat, call("w", "ARRI", -30, 0, "ACT"))
    assert heard["waits"] == 1 and "before it departed" in CarrierEvent.objects.get(event_id="w").says
    assert position_faults() == book_faults() == []


LIFE = [
    call("never", "DEPA", -21, -95, "ACT"),
    call("taken", "DEPA", -21, -94, "ACT", retractedEventID="never"),
    call("dep", "DEPA", -20, -90, "ACT"),
    call("est", "ARRI", -2, -80),
    call("arr", "ARRI", -6, -30, "ACT"),
    call("arr2", "ARRI", -5, -20, "ACT"),
    box("dis", "DISC", -4),
    box("out", "GTOT", -3, "LADEN"),
    box("back", "GTIN", -1, "EMPTY"),
]


@given(order=st.permutations(LIFE), batches=st.lists(st.integers(1, 4), min_size=1, max_size=9))
@settings(max_examples=6, deadline=None, suppress_health_check=[HealthCheck.function_scoped_fixture])
def test_in_any_order_and_any_lots_the_same_is_believed(afloat, daily_rates, order, batches):
    """Goods, their value, containers and dates; what has to wait is tried again at the end, as a person would."""
    with transaction.atomic():
        left = list(order)
        for size in batches * 9:
            if left:
                hear(afloat, *left[:size])
                left = left[size:]
        for _ in range(3):
            for event in CarrierEvent.objects.filter(state="waits").order_by("pk"):
                with contextlib.suppress(Refused):
                    carrier_events.try_again(afloat.act("shipping"), carrier_events.EventRequest(event.pk))
        assert not CarrierEvent.objects.filter(state="waits").exists()
        shipment = Shipment.objects.get(pk=afloat.cargo.pk)
        facts = facts_of(Container.objects.select_related("shipment"))[Container.objects.get().pk]
        assert (shipment.departed_on, shipment.arrived_on) == (TODAY - 20 * DAY, TODAY - 5 * DAY)
        assert facts == {"discharged": TODAY - 4 * DAY, "gate_out": TODAY - 3 * DAY, "returned": TODAY - DAY}
        assert shipment.legs.get().expected_end == TODAY - 5 * DAY
        ours = ShipmentLine.objects.get()
        assert (ours.ours_on, ours.goods_rate) == (TODAY - 20 * DAY, daily_rates[TODAY - 20 * DAY])
        assert book_faults() == []
        assert (shipment.place, position_faults(), move_faults()) == ("landed", [], [])
        transaction.set_rollback(True)


def test_what_fits_nothing_is_tied_by_hand(afloat, client):
    unknown = call("u", "ARRI", 33, 0)
    unknown["transportCall"]["carrierVoyageNumber"] = "OTHER"
    hear(afloat, unknown, box("b", "DISC", 34, number=THIRD) | {"eventClassifierCode": "EST"})
    waits = {one.event_id: one for one in CarrierEvent.objects.filter(state="waits")}
    assert waits.keys() == {"u", "b"}
    arrival, mine = PortCall.objects.get(port="NZTRG"), Container.objects.get()
    for wrong in (
        carrier_events.TieRequest(waits["u"].pk),
        carrier_events.TieRequest(waits["u"].pk, container=mine.pk),
    ):
        with pytest.raises(Refused, match="Choose what it is about"):
            carrier_events.tie(afloat.act("shipping"), wrong)
    with pytest.raises(NotAllowed):
        carrier_events.tie(afloat.act("viewer"), carrier_events.TieRequest(waits["u"].pk, call=arrival.pk))
    client.force_login(Person.objects.get(username="shipping"))
    address = reverse("tie-event", args=[waits["u"].pk])
    page = client.get(address).content.decode()
    assert "Heron 221S at NZTRG, planned" in page and address in client.get(reverse("events")).content.decode()
    form = {"key": "t", "about": arrival.pk}
    shown = client.post(address, form).content.decode()
    assert "<b>1</b> line moves" in shown and dock(afloat) == TODAY + 30 * DAY, "first what it would do"
    done = client.post(address, form | {"confirmed": "yes"}, follow=True).content.decode()
    assert "tied and heard" in done and dock(afloat) == TODAY + 33 * DAY
    carrier_events.tie(afloat.act("shipping"), carrier_events.TieRequest(waits["b"].pk, container=mine.pk))
    mine.refresh_from_db()
    assert mine.own_dock == TODAY + 34 * DAY
    assert not CarrierEvent.objects.filter(state="waits").exists()
    assert client.get(address).status_code == 404
    # What its sender takes back is believed no more, though the tie was ours.
    hear(afloat, call("r", "ARRI", 33, 1, retractedEventID="u"), box("x", "DISC", 34) | {"retractedEventID": "b"})
    assert dock(afloat) == TODAY + 30 * DAY and move_faults() == []


def test_what_an_event_may_be_about_is_named_by_likeness(afloat, client):
    said = box("b", "DISC", 34, number=with_container_check_digit("QXNU100009"))
    hear(afloat, said | {"eventClassifierCode": "EST"})
    event = CarrierEvent.objects.get(event_id="b")
    there = afloat.shipment([afloat.sent_order({"C": D(9)}, company=afloat.au)], number=THIRD)
    people = {person.username: person for person in Person.objects.all()}
    named = [one.number for one in likely_boxes(event, people["shipping"], TODAY)]
    assert named == [CONTAINERS[0], THIRD]
    assert [one.shipment_id for one in likely_boxes(event, people["stranger"], TODAY)] == [there.pk]
