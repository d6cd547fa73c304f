"""Leaving: every way in ends, open work is handed over; idle sessions end; companies ask for a second factor."""

import json
from datetime import timedelta
from decimal import Decimal as D

import pytest
import time_machine
from allauth.mfa.models import Authenticator
from allauth.usersessions.models import UserSession
from django.test import Client
from django.urls import reverse

from northing.access.models import ApiToken, Person
from northing.actions.access import leave, roles
from northing.actions.access.tokens import TokenRequest, make_token
from northing.actions.shipping import arrival_calendars
from northing.activity.models import HistoryEntry
from northing.core.problems import NotAllowed, Refused
from northing.masterdata.models import Company
from northing.worklist.models import Matter
from tests.worlds import NOW


def close(world, who, successor=None, by="administrator"):
    to = world.people[successor].pk if successor else None
    return leave.close_account(world.act(by), leave.CloseRequest(world.people[who].pk, to))


def test_every_way_in_ends(world, client):
    dock = world.people["dock"]
    client.force_login(dock)
    assert client.get("/").status_code == 200
    token = make_token(world.act("dock"), TokenRequest("t", ("read",), 9))
    feed = arrival_calendars.make_feed(world.act("dock"), arrival_calendars.FeedRequest(world.site.pk))
    Authenticator.objects.create(user=dock, type="webauthn", data={})
    close(world, "dock")
    assert client.get("/").status_code == 302
    assert Client().get("/api/v1/orders", headers={"authorization": f"Bearer {token}"}).status_code == 401
    assert Client().get(feed[feed.index("/shipping") :]).status_code == 404
    assert not Authenticator.objects.exists() and not dock.grants.exists()
    signed = Client().post(reverse("account_login"), {"login": "dock", "password": "dock"})
    assert signed.status_code == 200
    assert "roles ended, 1 calendars" in HistoryEntry.objects.get(action="close_account").text


def test_open_work_is_handed_over(world, client):
    order = world.sent_order({"A": D(5)}, agreed=False)
    with pytest.raises(Refused, match="1 order are expediter's"):
        close(world, "expediter")
    with pytest.raises(Refused, match="may not write orders for Test NZ"):
        close(world, "expediter", "dock")
    assert Person.objects.get(username="expediter").is_active
    assert {one.person_id for one in Matter.objects.filter(party="supplier")} <= {world.people["expediter"].pk, None}
    client.force_login(world.people["administrator"])
    page = client.get(reverse("leave", args=[world.people["expediter"].pk])).content.decode()
    assert "1 open order, 0 open cases" in page
    sent = {"key": "l", "successor": world.people["buyer"].pk}
    client.post(reverse("leave", args=[world.people["expediter"].pk]), sent)
    order.refresh_from_db()
    assert order.buyer == world.people["buyer"]
    assert world.people["expediter"].pk not in Matter.objects.values_list("person", flat=True)


def test_who_may_close_an_account(world):
    for by in ("buyer", "stranger"):
        with pytest.raises(NotAllowed):
            close(world, "dock", by=by)
    with pytest.raises(Refused, match="Another person closes your account"):
        close(world, "administrator")
    roles.grant(world.act("administrator"), roles.GrantRequest(world.people["dock"].pk, world.nz.pk, "administrator"))
    with pytest.raises(NotAllowed, match="keep the house"):
        close(world, "administrator", by="dock")
    Person.objects.filter(username="dock").update(keeps_house=True)
    with pytest.raises(NotAllowed, match="keep people and roles for this company"):
        close(world, "administrator", by="dock")
    close(world, "viewer")
    with pytest.raises(Refused, match="closed already"):
        close(world, "viewer")


def test_a_new_password_ends_tokens(world, client):
    make_token(world.act("dock"), TokenRequest("t", ("read",), 9))
    client.post(reverse("account_login"), {"login": "dock", "password": "dock"})
    new = {"oldpassword": "dock", "password1": "quay and crane 7", "password2": "quay and crane 7"}
    assert client.post(reverse("account_change_password"), new).status_code == 302
    assert ApiToken.objects.get().revoked_at
    make_token(world.act("dock"), TokenRequest("u", ("read",), 9))
    roles.let_in(world.act("administrator"), roles.LetInRequest(world.people["dock"].pk, "quay and crane 8"))
    assert not ApiToken.objects.filter(revoked_at=None).exists()


@pytest.mark.parametrize("password", ["password1", "1234567890", "nia.orr", "short"])
def test_weak_passwords_are_refused(world, password):
    new = roles.PersonRequest("nia.orr", "Nia", "Orr", "", password, world.nz.pk, "dock")
    with pytest.raises(Refused):
        roles.add_person(world.act("administrator"), new)


def test_all_tokens_of_the_house_are_listed_and_ended(world, client):
    make_token(world.act("dock"), TokenRequest("till", ("read",), 9))
    client.force_login(world.people["administrator"])
    page = client.get(reverse("tokens")).content.decode()
    assert "till" in page and "never" in page
    token = ApiToken.objects.get()
    client.post(reverse("end-any-token", args=[token.pk]), {"key": "e"})
    token.refresh_from_db()
    assert token.revoked_at
    client.force_login(world.people["dock"])
    assert client.get(reverse("tokens")).status_code == 403


def test_a_company_asks_for_a_second_factor(world, client):
    client.force_login(world.people["dock"])
    Company.objects.filter(pk=world.nz.pk).update(asks_second_factor=True)
    sent = client.get(reverse("dock"))
    assert sent.status_code == 302 and sent.url == reverse("account")
    assert client.post(reverse("new-order"), {}).status_code == 302
    assert "asks for a second factor" in client.get(reverse("account")).content.decode()
    Authenticator.objects.create(user=world.people["dock"], type="totp", data={})
    assert client.get(reverse("dock")).status_code == 200


def test_a_session_ends_when_idle(world, client, settings):
    client.force_login(world.people["dock"])
    settings.IDLE_MINUTES = 60
    with time_machine.travel(NOW):
        assert client.get("/").status_code == 200
    with time_machine.travel(NOW + timedelta(minutes=50)):
        assert client.get("/").status_code == 200
    with time_machine.travel(NOW + timedelta(minutes=100)):
        assert client.get("/").status_code == 200
    with time_machine.travel(NOW + timedelta(minutes=170)):
        sent = client.get(reverse("dock"))
        assert sent.status_code == 302 and sent.url.endswith("?next=/receiving/")
        assert "nothing was done here for a long time" in client.get(sent.url).content.decode()
    assert not UserSession.objects.filter(user=world.people["dock"]).exists()


def test_the_line_of_a_request_tells_who_and_whence(world, client, caplog):
    token = make_token(world.act("dock"), TokenRequest("till", ("read",), 9))
    client.get("/api/v1/orders", headers={"authorization": f"Bearer {token}"})
    client.post(reverse("account_login"), {"login": "dock", "password": "wrong"})
    client.post(reverse("account_login"), {"login": "dock", "password": "dock"})
    client.get(reverse("people") + "add/")
    client.get(reverse("new-order"))
    rows = [record.msg for record in caplog.records if record.name == "northing.requests"]
    by_token = next(row for row in rows if row.get("path") == "/api/v1/orders")
    assert (by_token["who"], by_token["token"], by_token["caller"]) == ("dock", ApiToken.objects.get().pk, "127.0.0.1")
    events = [(row["event"], row.get("name")) for row in rows if row["event"].startswith("sign")]
    assert events == [("sign-in refused", "dock"), ("signed in", "dock")]
    assert [row["path"] for row in rows if row["event"] == "refused"] == [reverse("new-order")]
    assert token not in json.dumps(rows, default=str)


def test_what_a_device_may_do_is_said(world, client):
    assert "microphone=()" in client.get(reverse("account_login")).headers["Permissions-Policy"]
