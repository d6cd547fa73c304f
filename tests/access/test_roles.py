"""Roles as data: given per company and site, with limits; changed for everybody at once; never locked out."""

from decimal import Decimal as D

import pytest
from allauth.mfa.models import Authenticator
from django.urls import reverse

from northing.access.models import Grant, Person, Role
from northing.access.permissions import may
from northing.actions.access import roles
from northing.actions.inventory import issue
from northing.actions.orders import send, write
from northing.activity.models import HistoryEntry
from northing.core.problems import NotAllowed, Refused
from northing.masterdata.models import Bin, Site
from tests.worlds import TODAY


def give(world, who="dock", role="viewer", company=None, by="administrator", **more):
    asked = roles.GrantRequest(world.people[who].pk, (company or world.nz).pk, role, **more)
    return roles.grant(world.act(by), asked)


def end(world, who, role, by="administrator"):
    found = world.people[who].grants.get(role=role, company=world.nz)
    return roles.end_grant(world.act(by), roles.EndRequest(found.pk))


def fresh(world, who):
    return Person.objects.get(username=world.people[who].username)


def test_a_role_is_given_and_taken(world):
    give(world, "dock", "buyer")
    assert may(fresh(world, "dock"), "write_order", world.nz.pk)
    assert not may(fresh(world, "dock"), "write_order", world.au.pk)
    end(world, "dock", "buyer")
    assert not may(fresh(world, "dock"), "write_order", world.nz.pk)
    assert [entry.text for entry in HistoryEntry.objects.order_by("id")] == [
        "Gave dock the role buyer in Test NZ",
        "Took from dock the role buyer in Test NZ",
    ]


def test_who_lost_the_way_in_is_let_in_by_who_keeps_all_their_companies(world, client):
    dock = world.people["dock"]
    Authenticator.objects.create(user=dock, type="totp", data={})
    client.force_login(dock)
    roles.let_in(world.act("administrator"), roles.LetInRequest(dock.pk, "a new first one"))
    give(world, "dock", "administrator")
    assert fresh(world, "dock").check_password("a new first one") and not Authenticator.objects.exists()
    assert client.get("/").status_code == 302, "the old session has ended"
    with pytest.raises(Refused, match="your account page|own password"):
        roles.let_in(
            world.act("administrator"), roles.LetInRequest(world.people["administrator"].pk, "mine, a new one")
        )
    with pytest.raises(Refused, match="short"):
        roles.let_in(world.act("administrator"), roles.LetInRequest(dock.pk, "x"))
    Grant.objects.create(person=dock, company=world.au, role="viewer")
    for who in ("administrator", "buyer"):
        world.people["administrator"].grants.filter(company=world.au).delete()
        with pytest.raises(NotAllowed):
            roles.let_in(world.act(who), roles.LetInRequest(dock.pk, "another new one"))


def test_a_role_at_one_site_holds_there_only(world):
    other = Site.objects.create(company=world.nz, code="AKL", name="AKL", port=world.site.port)
    Bin.objects.create(site=other, code="D", purpose="dock")
    world.people["dock"].grants.all().delete()
    give(world, "dock", "dock", site=other.pk)
    asked = issue.IssueRequest(world.site.pk, world.items["B"].pk, D(1), "shops", TODAY)
    with pytest.raises(NotAllowed, match="at this site"):
        issue.issue_stock(world.act("dock"), asked)
    give(world, "dock", "dock", site=world.site.pk)
    with pytest.raises(Refused, match="(?i)not|only|stock") as caught:
        issue.issue_stock(world.act("dock"), asked)
    assert not isinstance(caught.value, NotAllowed)


def test_a_limit_is_of_the_grant(world):
    give(world, "approver", "approver", limit=D(100))
    line = write.LineRequest("A", "", D(10))
    new = write.OrderRequest(
        world.nz.pk, world.parties["USD"].pk, world.site.pk, "FOB", "on_board", TODAY.replace(year=2027), (line,)
    )
    key = write.write_order(world.act("expediter"), new)
    send.check_order(world.act("expediter"), send.OrderAct(key))
    with pytest.raises(Refused, match="you may approve 100.00"):
        send.approve_order(world.act("approver"), send.OrderAct(key))


def test_a_role_is_changed_for_everybody_who_has_it(world):
    roles.set_role(world.act("administrator"), roles.RoleRequest("viewer", ("receive",)))
    give(world, "costs", "viewer")
    assert may(fresh(world, "costs"), "receive", world.nz.pk)
    roles.set_role(world.act("administrator"), roles.RoleRequest("viewer", ()))
    assert not may(fresh(world, "costs"), "receive", world.nz.pk)
    roles.set_role(world.act("administrator"), roles.RoleRequest("night", ("issue_stock",)))
    give(world, "costs", "night")
    assert may(fresh(world, "costs"), "issue_stock", world.nz.pk)
    told = HistoryEntry.objects.filter(action="set_role").last()
    assert told.changes == [{"field": "issue stock", "old": "no", "new": "yes"}]


def test_nobody_is_locked_out(world):
    with pytest.raises(Refused, match="No one would be left"):
        end(world, "administrator", "administrator")
    with pytest.raises(Refused, match="No one would be left"):
        roles.set_role(world.act("administrator"), roles.RoleRequest("administrator", ("begin",)))
    assert not Role.objects.exists() and may(fresh(world, "administrator"), "keep_people", world.nz.pk)
    give(world, "dock", "administrator")
    end(world, "administrator", "administrator", by="dock")


@pytest.mark.parametrize(
    ("role", "more", "says"),
    [
        ("supplier", {}, "no such role"),
        ("flyer", {}, "no such role"),
        ("dock", {"site": 10**9}, "no site"),
        ("approver", {"limit": D(-1)}, "from 0 on"),
    ],
)
def test_what_cannot_be_given(world, role, more, says):
    with pytest.raises(Refused, match=says):
        give(world, "dock", role, **more)


@pytest.mark.parametrize(("code", "permissions"), [("supplier", ()), ("a b", ()), ("x" * 17, ()), ("new", ("fly",))])
def test_what_is_no_role(world, code, permissions):
    with pytest.raises(Refused):
        roles.set_role(world.act("administrator"), roles.RoleRequest(code, permissions))


def test_the_page(world, client):
    client.force_login(world.people["administrator"])
    assert client.get(reverse("people")).content.count(b"<form") > 10
    typed = {"key": "k", "person": world.people["dock"].pk, "role": "viewer", "company": world.nz.pk}
    assert client.post(reverse("grant"), typed).status_code == 302
    assert client.post(reverse("grant"), typed | {"key": "l", "limit": "x"}).status_code == 422
    new = {"key": "p", "username": "Nia", "first_name": "Nia", "last_name": "Orr", "password": "short"}
    assert b"too short" in client.post(reverse("add-person"), new).content
    client.post(reverse("add-person"), new | {"key": "q", "password": "long enough"})
    assert Person.objects.get(username="nia").check_password("long enough")
    client.post(reverse("set-role"), {"key": "r", "code": "viewer", "permissions": ["receive"]})
    assert Role.objects.get().permissions == ["receive"]
    gone = Grant.objects.get(person=world.people["dock"], company=world.nz, role="viewer")
    client.post(reverse("end-grant", args=[gone.pk]), {"key": "e"})
    assert not Grant.objects.filter(pk=gone.pk).exists()
    client.force_login(world.people["viewer"] if "viewer" in world.people else world.people["dock"])
    assert client.get(reverse("people")).content.count(b"<form") < 5
    client.post(reverse("set-role"), {"key": "s", "code": "dock", "permissions": ["begin"]})
    assert Role.objects.count() == 1
