"""Signing in: locked after wrong tries, second factors, sessions seen and ended, tokens made."""

import base64
import hmac
import re
import struct
import time
from datetime import timedelta

import pytest
import time_machine
from allauth.mfa.models import Authenticator
from allauth.usersessions.models import UserSession
from django.test import Client
from django.urls import reverse

from northing.access.models import ApiToken, Person
from northing.activity.models import HistoryEntry
from northing.messaging.models import Message
from tests.worlds import NOW


@pytest.fixture(autouse=True)
def tries_count(settings):
    settings.AXES_ENABLED = True


def code_at(secret: str, seconds: float) -> str:
    """The code of RFC 6238, written down once more."""
    digest = hmac.digest(base64.b32decode(secret), struct.pack(">Q", int(seconds // 30)), "sha1")
    place = digest[-1] & 15
    return f"{(struct.unpack('>I', digest[place : place + 4])[0] & 0x7FFFFFFF) % 1_000_000:06d}"


def sign_in(client, who="dock", password=None, at="127.0.0.1", **headers):
    data = {"login": who, "password": who if password is None else password}
    return client.post(reverse("account_login"), data, headers=headers, REMOTE_ADDR=at)


def test_a_name_is_locked_after_wrong_tries_and_opens_again(world, client):
    for _ in range(4):
        assert b"do not match" in sign_in(client, password="wrong").content
    sign_in(client, password="wrong")
    locked = sign_in(client)
    assert locked.status_code == 429 and b"Too many wrong tries" in locked.content
    assert sign_in(Client(), "costs").status_code == 302, "others are not locked"
    assert b"Too many" in sign_in(Client(), "DOCK").content
    assert sign_in(Client(), at="9.9.9.9").status_code == 302, "from elsewhere it is not locked"
    with time_machine.travel(NOW + timedelta(minutes=16)):
        assert sign_in(client).status_code == 302


def test_who_knocks_on_does_not_keep_a_name_locked(world, client):
    for minute in range(14):
        with time_machine.travel(NOW + timedelta(minutes=minute)):
            sign_in(client, password="wrong")
    with time_machine.travel(NOW + timedelta(minutes=20)):
        assert sign_in(client).status_code == 302


def test_an_address_is_locked_whatever_names_it_tries(world, client):
    for n in range(150):
        sign_in(client, f"nobody{n}", "x")
    assert b"Too many" in sign_in(client).content


def test_a_name_is_locked_wherever_it_is_tried_from(world, client):
    for n in range(60):
        sign_in(client, password="wrong", at=f"9.9.9.{n}")
    assert b"Too many" in sign_in(client, at="8.8.8.8").content


def test_a_lock_grows_and_is_lifted(world, client):
    """15 minutes, then 30; who keeps people lifts it."""

    def lock():
        for _ in range(5):
            sign_in(client, password="wrong")

    lock()
    with time_machine.travel(NOW + timedelta(minutes=16)):
        lock()
    with time_machine.travel(NOW + timedelta(minutes=40)):
        assert b"Too many" in sign_in(client).content
        keeper, lift = Client(), reverse("lift-lock", args=[world.people["dock"].pk])
        keeper.force_login(world.people["buyer"])
        assert keeper.post(lift, {"key": "l"}).status_code == 403
        keeper.force_login(world.people["administrator"])
        assert "Lift the lock" in keeper.get(reverse("people")).content.decode()
        assert "may try again" in keeper.post(lift, {"key": "l"}, follow=True).content.decode()
        assert sign_in(client).status_code == 302


def test_behind_our_proxy_the_caller_is_whom_it_names_last(world, client, settings):
    settings.BEHIND_PROXY = True
    for n in range(150):
        sign_in(client, f"n{n}", "x", **{"x-forwarded-for": f"9.9.9.{n}, 7.7.7.7"})
    assert b"Too many" in sign_in(client, **{"x-forwarded-for": "1.1.1.1, 7.7.7.7"}).content
    assert sign_in(client, **{"x-forwarded-for": "7.7.7.7, 8.8.8.8"}).status_code == 302
    assert UserSession.objects.get().ip == "8.8.8.8"
    assert sign_in(Client(), **{"x-forwarded-for": "no address at all"}).status_code == 302


@pytest.mark.parametrize("data", [{}, {"login": "\x00"}, {"login": "dock"}, {"login": "x" * 500}])
def test_odd_input(world, client, data):
    assert client.post(reverse("account_login"), data).status_code == 200


def test_who_left_is_told_so_only_with_the_right_password(world, client):
    Person.objects.filter(username="dock").update(is_active=False)
    assert b"do not match" in sign_in(client, password="wrong").content
    assert b"account is closed" in client.get(sign_in(client).url).content
    assert client.get("/").status_code == 302


def set_up(client, who="dock") -> str:
    """An authenticator app for the person; the confirmation is asked for on the way. Returns its key."""
    url = reverse("mfa_activate_totp")
    asked = client.get(url)
    client.post(asked.url, {"password": who})
    page = client.get(url)
    secret = page.context["form"].secret
    assert b"<svg" in page.content
    assert b"not right" in client.post(url, {"code": "000000"}).content
    done = client.post(url, {"code": code_at(secret, time.time())})
    assert done.url == reverse("mfa_view_recovery_codes")
    return secret


def test_the_second_factor(world, client, django_capture_on_commit_callbacks):
    sign_in(client)
    with django_capture_on_commit_callbacks(execute=True):
        secret = set_up(client)
    assert secret not in str(Authenticator.objects.filter(type="totp").get().data), "kept encrypted"
    codes = re.findall(rb"<code>(\w+)</code>", client.get(reverse("mfa_view_recovery_codes")).content)
    assert len(codes) == 10
    assert codes[0] not in client.get(reverse("mfa_view_recovery_codes")).content, "shown once"
    other, code = Client(), code_at(secret, time.time() + 30)
    wanted = sign_in(other)
    assert wanted.url == reverse("mfa_authenticate") and other.get("/").status_code == 302
    assert b"not right" in other.post(wanted.url, {"code": "123456"}).content
    assert other.post(wanted.url, {"code": code}).status_code == 302
    assert other.get("/").status_code == 200
    third = Client()
    sign_in(third)
    assert b"used already" in third.post(wanted.url, {"code": code}).content
    assert third.post(wanted.url, {"code": codes[0].decode()}).status_code == 302
    fourth = Client()
    sign_in(fourth)
    assert b"not right" in fourth.post(wanted.url, {"code": codes[0].decode()}).content
    assert b"9 left" in client.get(reverse("account")).content
    with django_capture_on_commit_callbacks(execute=True):
        client.post(reverse("mfa_deactivate_totp"))
    assert not Authenticator.objects.exists() and sign_in(Client()).url == "/"
    assert HistoryEntry.objects.filter(action="set_factor").count() == 2


def test_factors_of_another_secret_key_are_told_so(world, client, settings):
    sign_in(client)
    secret = set_up(client)
    settings.SECRET_KEY = "another"
    other = Client()
    answer = other.post(sign_in(other).url, {"code": code_at(secret, time.time() + 30)})
    assert b"under another secret key" in answer.content
    client.force_login(world.people["dock"])
    assert b"0 left" in client.get(reverse("account")).content


def test_codes_are_not_guessed(world, client):
    sign_in(client)
    set_up(client)
    other = Client()
    url = sign_in(other).url
    for n in range(10):
        other.post(url, {"code": f"{n:06d}"})
    assert b"Too many wrong tries" in other.post(url, {"code": "000042"}).content


def test_a_stolen_session_changes_no_factor_without_the_password(world, client):
    sign_in(client)
    for page in ("mfa_activate_totp", "mfa_add_webauthn"):
        assert client.post(reverse(page), {"code": "1"}).url.startswith(reverse("account_reauthenticate"))
    wrong = client.post(reverse("account_reauthenticate"), {"password": "wrong"})
    assert b"not your password" in wrong.content


def test_who_lets_somebody_in_confirms_who_they_are(world, client):
    sign_in(client, "administrator")
    sent = {"key": "k", "person": world.people["dock"].pk, "password": "a new first one"}
    asked = client.post(reverse("let-in"), sent)
    assert asked.url.startswith(reverse("account_reauthenticate"))
    assert not Person.objects.get(username="dock").check_password("a new first one")
    done = client.post(asked.url, {"password": "administrator"}, follow=True)
    assert b"Tell them the password" in done.content
    assert sign_in(Client(), password="a new first one").status_code == 302


def test_sessions_are_seen_and_ended_by_their_owner_only(world, client):
    other = Client()
    sign_in(client), sign_in(other)
    assert client.get(reverse("account")).content.count(b"this one") == 1
    far = UserSession.objects.exclude(session_key=client.session.session_key).get()
    stranger = Client()
    sign_in(stranger, "costs")
    stranger.post(reverse("end-session", args=[far.pk]))
    assert other.get("/").status_code == 200
    client.post(reverse("end-session", args=[far.pk]))
    assert other.get("/").status_code == 302


def test_tokens_are_shown_once(world, client):
    sign_in(client)
    made = client.post(reverse("new-token"), {"name": "till", "scopes": ["read"], "days": "30"})
    token = ApiToken.objects.get()
    assert made.content.count(b"nk_") == 1 and made["Cache-Control"] == "no-store"
    assert b"nk_" not in client.get(reverse("account")).content
    assert client.post(reverse("new-token"), {"name": "", "scopes": ["fly"], "days": "900"}).status_code == 422
    stranger = Client()
    sign_in(stranger, "costs")
    stranger.post(reverse("end-token", args=[token.pk]))
    assert ApiToken.objects.get().revoked_at is None
    client.post(reverse("end-token", args=[token.pk]))
    assert ApiToken.objects.get().revoked_at


def test_another_password_ends_the_other_sessions_and_is_told(world, client):
    Person.objects.filter(username="dock").update(email="dock@example.test")
    other = Client()
    sign_in(client), sign_in(other)
    url = reverse("account_change_password")
    new = {"oldpassword": "dock", "password1": "a long new one", "password2": "a long new one"}
    assert b"not your password" in client.post(url, new | {"oldpassword": "no"}).content
    assert client.post(url, new | {"password2": "another"}).status_code == 200
    assert client.post(url, new).url == reverse("account")
    assert client.get("/").status_code == 200 and other.get("/").status_code == 302
    assert sign_in(Client(), password="a long new one").status_code == 302
    assert "Changed the password" in Message.objects.get(recipient="dock@example.test").body
