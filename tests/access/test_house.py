"""The house belongs to no company: one company's people change neither another's rights nor what companies share."""

from datetime import timedelta
from decimal import Decimal as D

import pytest
from django.urls import reverse

from northing.access.models import Grant, Person, Role
from northing.access.permissions import may, may_somewhere
from northing.actions.access import roles
from northing.actions.confirmations import chaser_rules
from northing.actions.masterdata import rate_feed, records, suppliers
from northing.actions.messaging import webhooks
from northing.actions.shipping import carrier_events, pack
from northing.core.problems import NotAllowed, Refused
from northing.masterdata.models import Party
from northing.orders.models import Instalment
from northing.reports.dealings import visible_events
from northing.shipping.models import CarrierEvent, Container
from tests.worlds import CONTAINERS, NOW, TODAY


@pytest.fixture
def ours(world):
    """An administrator of AU, who only looks in NZ and does not keep the house; and everyone else's request."""
    person = Person.objects.create_user("ours", password="long enough")
    Grant.objects.create(person=person, company=world.au, role="administrator")
    Grant.objects.create(person=person, company=world.nz, role="viewer")
    world.people["ours"] = person
    return world


def fresh(who):
    return Person.objects.get(username=who)


def refused(action, act, request, match="keep the house"):
    with pytest.raises(NotAllowed, match=match):
        action(act, request)


def test_a_companys_administrator_gives_himself_no_right_elsewhere(ours):
    rights = ("keep_people", "pay")
    refused(roles.set_role, ours.act("ours"), roles.RoleRequest("viewer", rights))
    refused(roles.set_role, ours.act("ours"), roles.RoleRequest("viewer", rights, ours.nz.pk), "keep people")
    roles.set_role(ours.act("ours"), roles.RoleRequest("viewer", rights, ours.au.pk))
    assert not may(fresh("ours"), "pay", ours.nz.pk) and not may(fresh("ours"), "keep_people", ours.nz.pk)
    Grant.objects.create(person=ours.people["dock"], company=ours.au, role="viewer")
    assert may(fresh("dock"), "pay", ours.au.pk) and not may(fresh("dock"), "pay", ours.nz.pk)
    mine = roles.GrantRequest(ours.people["ours"].pk, ours.nz.pk, "accounts")
    refused(roles.grant, ours.act("ours"), mine, "keep people")


def test_a_companys_role_goes_before_the_houses_and_ends(ours):
    Grant.objects.create(person=ours.people["dock"], company=ours.au, role="viewer")
    roles.set_role(ours.act("administrator"), roles.RoleRequest("viewer", ("pack",)))
    roles.set_role(ours.act("ours"), roles.RoleRequest("viewer", ("receive",), ours.au.pk))
    assert not may(fresh("dock"), "pack", ours.au.pk) and may(fresh("dock"), "receive", ours.au.pk)
    assert may(fresh("ours"), "pack", ours.nz.pk)
    roles.set_role(ours.act("ours"), roles.RoleRequest("viewer", None, ours.au.pk))
    assert may(fresh("dock"), "pack", ours.au.pk) and not may(fresh("dock"), "pay", ours.au.pk)
    with pytest.raises(Refused, match="No one would be left who keeps people in"):
        Grant.objects.filter(company=ours.au, role="administrator").exclude(person=ours.people["ours"]).delete()
        roles.set_role(ours.act("ours"), roles.RoleRequest("administrator", (), ours.au.pk))
    with pytest.raises(Refused, match="does not end"):
        roles.set_role(ours.act("administrator"), roles.RoleRequest("viewer", None))


def test_a_role_of_one_company_is_given_in_no_other(ours):
    roles.set_role(ours.act("ours"), roles.RoleRequest("night", ("pay",), ours.au.pk))
    there = roles.GrantRequest(ours.people["dock"].pk, ours.nz.pk, "night")
    with pytest.raises(Refused, match="no such role"):
        roles.grant(ours.act("administrator"), there)
    roles.grant(ours.act("ours"), roles.GrantRequest(ours.people["dock"].pk, ours.au.pk, "night"))
    assert may(fresh("dock"), "pay", ours.au.pk)


def test_a_person_without_a_role_is_the_houses(ours):
    stray = roles.PersonRequest("stray", "S", "T", "", "long enough 1")
    with pytest.raises(Refused, match="Choose the company and the first role"):
        roles.add_person(ours.act("ours"), stray)
    new = roles.add_person(ours.act("administrator"), stray)
    refused(roles.let_in, ours.act("ours"), roles.LetInRequest(new, "another one 1"))
    refused(roles.grant, ours.act("ours"), roles.GrantRequest(new, ours.au.pk, "dock"))
    elsewhere = roles.PersonRequest("nia", "N", "O", "", "long enough 1", ours.nz.pk, "dock")
    refused(roles.add_person, ours.act("ours"), elsewhere, "keep people")
    own = roles.PersonRequest("nia", "N", "O", "", "long enough 1", ours.au.pk, "dock")
    roles.add_person(ours.act("ours"), own)
    assert may(fresh("nia"), "receive", ours.au.pk)


def test_the_password_of_who_keeps_the_house_is_the_houses(ours):
    keeper = Person.objects.create_user("keeper", password="long enough", keeps_house=True)
    Grant.objects.create(person=keeper, company=ours.au, role="viewer")
    refused(roles.let_in, ours.act("ours"), roles.LetInRequest(keeper.pk, "another one 1"))


def test_the_house_is_given_by_who_keeps_it_and_never_by_no_one(ours):
    give = roles.HouseRequest(ours.people["ours"].pk, True)
    refused(roles.keep_house, ours.act("ours"), give)
    with pytest.raises(Refused, match="No one would be left"):
        roles.keep_house(ours.act("administrator"), roles.HouseRequest(ours.people["administrator"].pk, False))
    roles.keep_house(ours.act("administrator"), give)
    roles.keep_house(ours.act("ours"), roles.HouseRequest(ours.people["administrator"].pk, False))
    assert fresh("ours").keeps_house and not fresh("administrator").keeps_house
    Person.objects.filter(username="ours").update(is_active=False)
    assert not may_somewhere(fresh("ours"), "house")


def test_what_companies_share_is_the_houses(ours):
    act = ours.act("ours")
    refused(webhooks.add_hook, act, webhooks.HookRequest("https://x.example", ("arrived",)))
    port = records.RecordRequest("port", "NZTRG", (("name", "Elsewhere"),))
    refused(records.keep_record, act, port, "for every company that uses this port")
    company = (("code", "NEW"), ("name", "N"), ("country", "NZ"), ("currency", "NZD"))
    refused(records.keep_record, act, records.RecordRequest("company", None, company))
    feed = rate_feed.RateFeedRequest("https://x.example/")
    refused(rate_feed.set_rate_feed, act, feed, "for every company that uses the rates of a bank")


def test_a_shared_supplier_needs_the_right_in_every_company_that_deals_with_it(ours):
    ours.sent_order({"A": D(1)})
    act, party = ours.act("stranger"), ours.parties["USD"].pk
    words = "for every company that uses this (supplier|item|rule|price|bank account of a supplier)"
    for action, request in (
        (suppliers.keep_supplier, suppliers.SupplierRequest(party, (("accept_days", 3),))),
        (suppliers.set_agreement, suppliers.AgreementRequest(party, "A", D(1), TODAY)),
        (suppliers.set_delay_cost, suppliers.DelayRequest(ours.items["A"].pk, D(9))),
        (chaser_rules.keep_rule, chaser_rules.RuleRequest("unanswered", party, "", 5, 4)),
        (chaser_rules.keep_rule, chaser_rules.RuleRequest("unanswered", None, "", 5, 4)),
        (records.keep_record, records.RecordRequest("supplier", party, (("remit_address", "mine"),))),
    ):
        refused(action, act, request, words)
    account = (("code", "X1"), ("party", "SUSD"), ("bank", "B"), ("number", "1"), ("currency", "USD"))
    refused(records.keep_record, ours.act("ours"), records.RecordRequest("supplier-account", None, account), words)
    rows = records.RowsRequest("supplier", ((2, (("code", "SUSD"), ("remit_address", "mine"))),))
    with pytest.raises(Refused, match="Row 2: You may not .* for every company"):
        records.keep_rows(act, rows)
    # No other company deals with this one, nor with a new one.
    free = Party.objects.create(kind="supplier", code="FREE", name="Free", currency="AUD", country="AU")
    suppliers.keep_supplier(act, suppliers.SupplierRequest(free.pk, (("accept_days", 3),)))
    new = (("code", "NEW"), ("name", "N"), ("country", "AU"), ("currency", "AUD"))
    records.keep_record(act, records.RecordRequest("supplier", None, new))


def event(**facts):
    """A carrier's event, kept as it came."""
    rest = {"event_type": "EQUIPMENT", "kind": "actual", "day": TODAY, "said_at": NOW, "heard_at": NOW, "raw": {}}
    return CarrierEvent.objects.create(
        source=facts.pop("source", "S"), event_id=str(len(rest) + event.n()), **rest | facts
    )


event.n = iter(range(1, 100)).__next__


def test_an_event_belongs_to_who_may_see_its_goods(ours, client):
    shipment = ours.shipment([ours.sent_order({"A": D(5)})])
    theirs = event(container=CONTAINERS[0])
    no_ones = event(container="QXNU9999999")
    used = event(container="QXNU9999998", source="Forwarder")
    brought = event(container="QXNU9999997", heard_by=ours.people["stranger"])
    assert set(visible_events(fresh("stranger"))) == {brought}
    assert set(visible_events(fresh("shipping"))) == {theirs, no_ones, used, brought}
    # A person of NZ alone sees what is about its goods, and not what another brought in.
    alone = Person.objects.create_user("alone", password="x")
    Grant.objects.create(person=alone, company=ours.nz, role="shipping")
    assert set(visible_events(alone)) == {theirs}
    estimate_of_forwarder(ours)
    assert set(visible_events(alone)) == {theirs, used}
    Grant.objects.create(person=ours.people["stranger"], company=ours.au, role="shipping")
    for action in (carrier_events.try_again, carrier_events.drop):
        with pytest.raises(Refused, match="does not wait any more"):
            action(ours.act("stranger"), carrier_events.EventRequest(theirs.pk))
    with pytest.raises(Refused, match="Choose what it is about"):
        box = Container.objects.get(shipment=shipment)
        carrier_events.tie(ours.act("stranger"), carrier_events.TieRequest(brought.pk, None, box.pk))
    client.force_login(ours.people["stranger"])
    shown = client.get(reverse("events")).content.decode()
    assert "QXNU9999997" in shown and CONTAINERS[0] not in shown
    for name in ("event-again", "drop-event", "tie-event"):
        assert client.post(reverse(name, args=[theirs.pk]), {"key": name}).status_code == 404
    theirs.refresh_from_db()
    assert theirs.state == "waits"


def estimate_of_forwarder(world):
    """NZ pays the forwarder something."""
    from northing.actions.costing import charges

    order = Instalment.objects.first().line.order_id
    provider = world.parties["provider"].pk
    asked = charges.ChargeRequest(
        world.nz.pk, provider, "freight", "weight", "NZD", D(9), TODAY - timedelta(days=1), orders=(order,)
    )
    charges.enter_estimate(world.act("costs"), asked)


def test_a_container_is_added_to_no_other_companys_shipment(ours):
    shipment = ours.shipment([ours.sent_order({"A": D(5)})])
    Grant.objects.create(person=ours.people["stranger"], company=ours.au, role="shipping")
    asked = pack.ContainerRequest(shipment.pk, CONTAINERS[1], "22G1")
    with pytest.raises(Refused, match="There is no such shipment"):
        pack.add_container(ours.act("stranger"), asked)


def test_the_page_shows_roles_of_the_house_and_of_a_company(ours, client):
    client.force_login(ours.people["ours"])
    house = client.get(reverse("people")).content.decode()
    assert "Who keeps the house changes them" in house and 'id="role-dock"' not in house
    own = client.get(f"{reverse('people')}?company={ours.au.code}").content.decode()
    assert 'id="role-dock"' in own
    typed = {"key": "r", "code": "dock", "permissions": ["pay"], "company": ours.au.pk}
    client.post(reverse("set-role"), typed)
    client.post(reverse("set-role"), typed | {"key": "h", "company": ""})
    client.post(reverse("set-role"), typed | {"key": "n", "company": ours.nz.pk})
    assert [(role.company, role.permissions) for role in Role.objects.all()] == [(ours.au, ["pay"])]
    assert (
        client.post(reverse("keep-house", args=[ours.people["ours"].pk]), {"key": "k", "keeps": "yes"}).status_code
        == 403
    )
