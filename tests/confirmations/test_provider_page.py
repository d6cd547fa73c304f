"""The page of a forwarder or carrier, by its link: its days and its bills to come, and nothing of anybody else's."""

from datetime import timedelta

import pytest
from django.urls import reverse

from northing.access.acts import Act
from northing.actions.confirmations import supplier_links
from northing.actions.costing import charges
from northing.actions.costing.announce import AnnounceRequest, announce_bill
from northing.actions.shipping.milestones import DateRequest, say_date
from northing.activity.models import HistoryEntry
from northing.core.problems import NotAllowed
from northing.costing.models import Charge
from northing.ledger.models import Entry
from northing.masterdata.models import Party
from northing.shipping.models import DateStatement, Leg, Shipment
from tests.worlds import CONTAINERS, NOW, TODAY, D

LATER = TODAY + timedelta(days=30)


@pytest.fixture
def carried(world):
    """A shipment of the forwarder with an estimate, and one of another."""
    forwarder = world.parties["provider"]
    other = Party.objects.create(kind="provider", code="OTHER", name="Other forwarder", currency="EUR", country="NZ")
    world.ours = world.shipment([world.sent_order({"A": D(10)})])
    world.theirs = world.shipment([world.sent_order({"C": D(10)})], CONTAINERS[1])
    Shipment.objects.filter(pk=world.ours.pk).update(forwarder=forwarder)
    Shipment.objects.filter(pk=world.theirs.pk).update(forwarder=other)
    world.estimates = [
        charges.enter_estimate(
            world.act("costs"),
            charges.ChargeRequest(world.nz.pk, party.pk, "freight", "value", "NZD", D(90), TODAY, (shipment.pk,)),
        )
        for party, shipment in ((forwarder, world.ours), (other, world.theirs))
    ]
    invited = supplier_links.invite(world.act("expediter"), supplier_links.InviteRequest(forwarder.pk))
    world.token = invited.rstrip("/").rpartition("/")[2]
    return world


def leg_of(shipment):
    return Leg.objects.get(shipment=shipment)


def said(client, world, **more):
    sent = {"key": "k", "leg": leg_of(world.ours).pk, "milestone": "arrival", "value": LATER.isoformat()}
    page = client.post(reverse("provider-say", args=[world.token]), sent | more, follow=True)
    return page.content.decode()


def test_what_it_carries_and_nothing_else(carried, client):
    page = client.get(reverse("supplier", args=[carried.token]))
    text = page.content.decode()
    assert str(carried.ours) in text and CONTAINERS[0] in text and "90.00" in text
    assert str(carried.theirs) not in text and CONTAINERS[1] not in text and page["Cache-Control"] == "no-store"


def test_it_says_when_it_is_expected_and_dates_follow(carried, client):
    assert "the day is noted" in said(client, carried)
    leg = leg_of(carried.ours)
    assert leg.expected_end == LATER
    statement = DateStatement.objects.get(milestone="arrival")
    assert (statement.kind, str(statement.said_by)) == ("estimated", "Forwarder")
    assert HistoryEntry.objects.filter(action="say_date").latest("pk").channel == "link"


@pytest.mark.parametrize(
    ("more", "words"),
    [
        ({"value": "soon"}, "not a day"),
        ({"value": "2226-01-01"}, ""),
        ({"milestone": "gate_out"}, "Say departure or arrival"),
        ({"leg": "999"}, "Nothing was sent"),
        ({"leg": "x\x00"}, "Nothing was sent"),
    ],
)
def test_what_is_no_day_of_theirs_changes_nothing(carried, client, more, words):
    text = said(client, carried, **more)
    assert words in text and "the day is noted" not in text and not DateStatement.objects.exists()


def test_the_action_itself_asks_whose_it_is(carried):
    person = supplier_links.acting_person(carried.parties["provider"])
    link = Act(person, NOW, "", "link", carried.parties["provider"].pk)
    with pytest.raises(NotAllowed, match="Not all of this sails with you"):
        say_date(link, DateRequest(leg_of(carried.theirs).pk, "arrival", "estimated", LATER))
    with pytest.raises(NotAllowed, match="when it is expected"):
        say_date(link, DateRequest(leg_of(carried.ours).pk, "departure", "actual", TODAY))
    with pytest.raises(NotAllowed):
        announce_bill(link, AnnounceRequest(carried.estimates[1], "F-1", D(1)))


def test_a_bill_is_announced_shown_and_proposed_when_it_is_booked(carried, client):
    charge = carried.estimates[0]
    url, entries = reverse("provider-bill", args=[carried.token, charge]), Entry.objects.count()
    client.post(url, {"key": "a", "number": "F-77", "amount": "1,240.505"}, follow=True)
    assert Charge.objects.get(pk=charge).announced is None, "three decimals"
    page = client.post(url, {"key": "b", "number": "F-77", "amount": "1,240.50"}, follow=True).content.decode()
    assert "your bill is announced" in page and "F-77" in page and Entry.objects.count() == entries
    foreign = reverse("provider-bill", args=[carried.token, carried.estimates[1]])
    client.post(foreign, {"key": "c", "number": "F-78", "amount": "1"})
    assert Charge.objects.get(pk=carried.estimates[1]).announced is None
    client.force_login(carried.people["costs"])
    assert "announced F-77" in client.get(reverse("costs")).content.decode()
    form = client.get(f"{reverse('new-charge')}?charge={charge}").context["form"]
    assert (form["bill_number"].value(), form["amount"].value()) == ("F-77", "1240.5")


def test_links_are_made_on_the_providers_page_and_end_there(carried, client):
    client.force_login(carried.people["expediter"])
    forwarder = carried.parties["provider"]
    page = reverse("provider-links", args=[forwarder.pk])
    made = client.post(reverse("invite", args=[forwarder.pk])).content.decode()
    assert (
        "/confirmations/link/" in made
        and "Its links" in client.get(reverse("record", args=["provider", forwarder.pk])).content.decode()
    )
    assert client.post(reverse("revoke", args=[forwarder.pk]), {"key": "r"}).url == page
    assert client.get(reverse("supplier", args=[carried.token])).status_code == 404
