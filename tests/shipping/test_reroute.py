"""Covers what really happens to voyages: each an action with its ripple; dates follow, plans stay, units stay put."""

from datetime import timedelta
from decimal import Decimal as D

import pytest
from django.urls import reverse

from northing.actions.shipping import milestones, pack, reroute
from northing.actions.shipping.ripple import foresee
from northing.actions.worklist.proof import move_faults
from northing.activity.models import HistoryEntry
from northing.core.problems import NotAllowed, Refused
from northing.formats.identifiers import with_imo_check_digit
from northing.positions.models import Position
from northing.reports.proofs import position_faults
from northing.shipping.models import Container, Leg, PortCall, Shipment, ShipmentLine, Voyage
from northing.shipping.operations import CallPlan, LegPlan
from northing.web.receiving.queries import sent_here
from tests.worlds import CONTAINERS, TODAY

DAY = timedelta(days=1)
HERON, TERN = "Heron 1S", "Tern 2S"


def voyage(world, vessel, number, *calls):
    """A voyage by (port, arrives, departs), days from today."""
    days = tuple(
        CallPlan(
            port, None if arrives is None else TODAY + arrives * DAY, None if departs is None else TODAY + departs * DAY
        )
        for port, arrives, departs in calls
    )
    imo = with_imo_check_digit(f"90747{number[0]}")
    asked = pack.VoyageRequest(vessel, imo + "", number, world.parties["provider"].pk, days)
    return pack.create_voyage(world.act("shipping"), asked)


@pytest.fixture
def heron(world):
    return voyage(world, "Heron", "1S", ("CNNGB", None, 3), ("AUMEL", 20, 21), ("NZTRG", 28, None))


@pytest.fixture
def tern(world):
    return voyage(world, "Tern", "2S", ("CNNGB", None, 10), ("NZTRG", 37, None))


def sailing(world, key, item="A", number=CONTAINERS[0]):
    """A shipment of 100 from Ningbo to our dock, on the voyage; planned at the dock on day 31."""
    shipment = world.shipment([world.sent_order({item: D(100)})], number)
    plans = (
        LegPlan("road", "supplier", "CNNGB", TODAY, TODAY + DAY),
        LegPlan("sea", "CNNGB", "NZTRG", TODAY + 3 * DAY, TODAY + 28 * DAY, True),
        LegPlan("road", "NZTRG", "TRG", TODAY + 30 * DAY, TODAY + 31 * DAY),
    )
    pack.plan_passage(world.act("shipping"), pack.PassageRequest(shipment.pk, key, plans))
    return Shipment.objects.get(pk=shipment.pk)


def do(world, action, request, who="shipping"):
    return action(world.act(who), request)


def refused(world, action, request):
    with pytest.raises(Refused) as error:
        do(world, action, request)
    return str(error.value)


def dock(shipment):
    """Days from today on which it is expected at the dock."""
    shipment.refresh_from_db()
    return (shipment.expected_dock - TODAY).days


def say(world, key, port, milestone, days, kind="estimated"):
    call = PortCall.objects.get(voyage=key, port=port)
    asked = milestones.DateRequest(None, milestone, kind, TODAY + days * DAY, call=call.pk)
    return milestones.say_date(world.act("shipping"), asked)


def test_a_slip_runs_on_from_call_to_call(world, heron):
    shipment = sailing(world, heron)
    assert dock(shipment) == 31
    say(world, heron, "AUMEL", "arrival", 25)
    assert dock(shipment) == 36
    call = PortCall.objects.get(voyage=heron, port="NZTRG")
    assert (call.planned_arrival, call.expected_arrival) == (TODAY + 28 * DAY, TODAY + 33 * DAY)
    say(world, heron, "NZTRG", "arrival", 30)
    assert dock(shipment) == 33
    assert move_faults() == []


def test_rolled_to_the_next_voyage(world, heron, tern):
    first, second = sailing(world, heron), sailing(world, heron, "C", CONTAINERS[1])
    asked = reroute.RollRequest(heron, tern, (first.pk,))
    companies = {world.nz.pk}
    ripple = foresee(world.act("shipping"), reroute.roll, asked, companies)
    assert [(line.item, line.days) for line in ripple.lines] == [("A", 9)]
    assert dock(first) == 31
    do(world, reroute.roll, asked)
    assert (dock(first), dock(second)) == (40, 31)
    first.refresh_from_db()
    assert (str(first.voyage), first.planned_dock) == (TERN, TODAY + 31 * DAY)
    assert HistoryEntry.objects.filter(action="roll").get().text == f"{first} rolled from {HERON} to {TERN}"
    # The rest of them, none named; then there is none left.
    assert do(world, reroute.roll, reroute.RollRequest(heron, tern)) == 1
    assert "Nothing of ours is to sail" in refused(world, reroute.roll, reroute.RollRequest(heron, tern))
    assert (position_faults(), move_faults()) == ([], [])


def test_what_cannot_be_rolled(world, heron, tern):
    sailing(world, heron)
    back = voyage(world, "Skua", "3N", ("NZTRG", None, 5), ("CNNGB", 30, None))
    roll = reroute.RollRequest
    assert "does not sail from CNNGB to NZTRG" in refused(world, reroute.roll, roll(heron, back))
    assert "Choose a voyage" in refused(world, reroute.roll, roll(heron, 10**9))
    do(world, reroute.blank_sailing, reroute.BlankRequest(back))
    assert "is called off" in refused(world, reroute.roll, roll(heron, back))
    say(world, tern, "CNNGB", "departure", 0, "actual")
    assert "Tern 2S departed on 24 Nov 2026" in refused(world, reroute.roll, roll(heron, tern))
    say(world, heron, "CNNGB", "departure", 0, "actual")
    assert "Nothing of ours" in refused(world, reroute.roll, roll(heron, tern))
    with pytest.raises(NotAllowed):
        do(world, reroute.blank_sailing, reroute.BlankRequest(heron), "dock")


def test_a_vessel_is_swapped_and_carriers_are_heard_under_its_number(world, heron):
    shipment = sailing(world, heron)
    asked = reroute.SwapRequest(heron, " Petrel  Sound ", with_imo_check_digit("931946"), "1S")
    do(world, reroute.swap_vessel, asked)
    shipment.refresh_from_db()
    assert str(shipment.voyage) == "Petrel Sound 1S"
    assert "check digit" in refused(world, reroute.swap_vessel, reroute.SwapRequest(heron, "X", "9319467", "1S"))
    with pytest.raises(NotAllowed):
        do(world, reroute.swap_vessel, asked, "stranger")
    assert "Name the vessel" in refused(world, reroute.swap_vessel, reroute.SwapRequest(heron, " ", "9319466", "1"))
    assert "voyage's number" in refused(world, reroute.swap_vessel, reroute.SwapRequest(heron, "X", "9319466", ""))


def test_a_port_is_omitted(world, heron):
    shipment = sailing(world, heron)
    calls = {call.port_id: call.pk for call in PortCall.objects.filter(voyage=heron)}
    omit = reroute.OmitRequest
    assert "were to be loaded there" in refused(world, reroute.omit_port, omit(calls["CNNGB"]))
    assert "1 shipments were to be discharged" in refused(world, reroute.omit_port, omit(calls["NZTRG"]))
    do(world, reroute.omit_port, omit(calls["NZTRG"], calls["AUMEL"]))
    shipment.refresh_from_db()
    # At Melbourne on day 20, and from there as long as it was to take from Tauranga.
    assert (shipment.discharge_port_id, dock(shipment)) == ("AUMEL", 23)
    assert "not on the voyage any more" in refused(world, reroute.omit_port, omit(calls["NZTRG"]))
    say(world, heron, "CNNGB", "departure", 0, "actual")
    say(world, heron, "AUMEL", "arrival", 0, "actual")
    assert "was there already" in refused(world, reroute.omit_port, omit(calls["AUMEL"]))


def test_a_sailing_is_called_off(world, heron, tern):
    shipment = sailing(world, heron)
    blank = reroute.BlankRequest
    assert "Choose a voyage" in refused(world, reroute.blank_sailing, blank(heron))
    assert "the same voyage" in refused(world, reroute.blank_sailing, blank(heron, heron))
    do(world, reroute.blank_sailing, blank(heron, tern))
    assert dock(shipment) == 40
    assert Voyage.objects.get(pk=heron).blanked_at
    again = pack.PassageRequest(shipment.pk, heron, (LegPlan("sea", "CNNGB", "NZTRG", TODAY, TODAY, True),))
    assert "is called off" in refused(world, pack.plan_passage, again)
    say(world, tern, "CNNGB", "departure", 0, "actual")
    assert "has begun" in refused(world, reroute.blank_sailing, blank(tern))


def test_a_container_is_split_off_and_rolled(world, heron, tern):
    shipment = sailing(world, heron)
    box = pack.add_container(world.act("shipping"), pack.ContainerRequest(shipment.pk, CONTAINERS[1], "22G1"))
    order = world.sent_order({"C": D(30)})
    part = order.lines.get().instalments.get()
    pack.stow(world.act("shipping"), pack.StowRequest(box, ((part.pk, D(30)),)))
    charge = world.charge(shipment, "freight", "100.00", "USD", "quantity")
    split = reroute.SplitRequest
    assert "Pick containers" in refused(world, reroute.split_off, split(shipment.pk, ()))
    both = tuple(Container.objects.values_list("pk", flat=True))
    assert "the whole shipment" in refused(world, reroute.split_off, split(shipment.pk, both))
    asked = split(shipment.pk, (box,), tern)
    ripple = foresee(world.act("shipping"), reroute.split_off, asked, {world.nz.pk})
    assert [(line.item, line.days) for line in ripple.lines] == [("C", 9)]
    assert Shipment.objects.count() == 1
    made = Shipment.objects.get(pk=do(world, reroute.split_off, asked)["split"])
    assert (dock(made), dock(shipment)) == (40, 31)
    assert made.containers.get().number == CONTAINERS[1]
    assert (position_faults(), move_faults()) == ([], [])
    # Both go on by themselves; what was billed for both stays as it was spread.
    say(world, heron, "CNNGB", "departure", 0, "actual")
    assert Position.objects.get(pk=part.pk).packed == 30
    say(world, tern, "CNNGB", "departure", 0, "actual")
    assert Position.objects.get(pk=part.pk).under_way == 30
    assert set(ShipmentLine.objects.filter(shares__charge=charge).values_list("container__number", flat=True)) == {
        *CONTAINERS
    }
    assert position_faults() == []


def test_left_behind_at_a_port_of_transshipment(world, tern):
    """On board with the first vessel, one container misses the second: it is under way all the while."""
    feeder = voyage(world, "Plover", "4F", ("CNNGB", None, 1), ("AUMEL", 8, None))
    second = voyage(world, "Heron", "1S", ("AUMEL", None, 11), ("NZTRG", 16, None))
    later = voyage(world, "Skua", "3N", ("AUMEL", None, 18), ("NZTRG", 23, None))
    shipment = world.shipment([world.sent_order({"A": D(100)})])
    box = pack.add_container(world.act("shipping"), pack.ContainerRequest(shipment.pk, CONTAINERS[1], "22G1"))
    part = world.sent_order({"C": D(30)}).lines.get().instalments.get()
    pack.stow(world.act("shipping"), pack.StowRequest(box, ((part.pk, D(30)),)))
    call = {(one.voyage_id, one.port_id): one.pk for one in PortCall.objects.all()}
    legs = (
        LegPlan("sea", "CNNGB", "AUMEL", TODAY, TODAY, False, call[feeder, "CNNGB"], call[feeder, "AUMEL"]),
        LegPlan("sea", "AUMEL", "NZTRG", TODAY, TODAY, True, call[second, "AUMEL"], call[second, "NZTRG"]),
    )
    pack.plan_passage(world.act("shipping"), pack.PassageRequest(shipment.pk, None, legs))
    shipment.refresh_from_db()
    assert (dock(shipment), str(shipment.voyage)) == (16, HERON)
    say(world, feeder, "CNNGB", "departure", 0, "actual")
    assert Position.objects.get(pk=part.pk).under_way == 30
    say(world, feeder, "AUMEL", "arrival", 0, "actual")
    assert Position.objects.get(pk=part.pk).under_way == 30
    made = do(world, reroute.split_off, reroute.SplitRequest(shipment.pk, (box,), later))["split"]
    assert (dock(Shipment.objects.get(pk=made)), dock(shipment)) == (23, 16)
    say(world, second, "AUMEL", "departure", 0, "actual")
    say(world, second, "NZTRG", "arrival", 0, "actual")
    assert Position.objects.get(pk=part.pk).under_way == 30
    say(world, later, "AUMEL", "departure", 0, "actual")
    say(world, later, "NZTRG", "arrival", 0, "actual")
    assert Position.objects.get(pk=part.pk).landed == 30
    assert (position_faults(), move_faults()) == ([], [])


def test_landed_elsewhere(world, heron, client):
    shipment = sailing(world, heron)
    calls = {call.port_id: call.pk for call in PortCall.objects.filter(voyage=heron)}
    land = reroute.LandRequest
    for call, place, words in (
        (calls["NZTRG"], "MEL", "Choose another call"),
        (calls["CNNGB"], "MEL", "Choose another call"),
        (calls["AUMEL"], " ", "Say where it goes"),
    ):
        assert words in refused(world, reroute.land_elsewhere, land(shipment.pk, call, place))
    do(world, reroute.land_elsewhere, land(shipment.pk, calls["AUMEL"], "MEL", 2))
    shipment.refresh_from_db()
    legs = list(Leg.objects.filter(shipment=shipment).values_list("origin", "destination", "main"))
    assert legs == [("supplier", "CNNGB", False), ("CNNGB", "AUMEL", True), ("AUMEL", "MEL", False)]
    assert (shipment.discharge_port_id, dock(shipment)) == ("AUMEL", 23)
    say(world, heron, "CNNGB", "departure", 0, "actual")
    say(world, heron, "AUMEL", "arrival", 0, "actual")
    assert Position.objects.get().landed == 100
    # The dock it goes to now expects it, though it is another company's; no one else's does.
    (box,) = sent_here(world.people["stranger"])
    assert (box.number, box.goes_to, box.whose) == (CONTAINERS[0], "MEL", "Test NZ")
    assert sent_here(world.people["dock"]) == [], "whose it is sees it among its own"
    client.force_login(world.people["stranger"])
    page = client.get(reverse("dock")).content.decode()
    assert "another company" in page and CONTAINERS[0] in page and "Test NZ" in page
    assert "has arrived" in refused(world, reroute.land_elsewhere, land(shipment.pk, calls["NZTRG"], "TRG"))
