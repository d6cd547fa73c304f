"""Signing in: locked after wrong tries, a second factor, sessions seen and ended, tokens made."""

import time
from datetime import timedelta

import pytest
import time_machine
from django.test import Client
from django.urls import reverse

from northing.access.models import ApiToken, Person, SignIn
from northing.activity.models import HistoryEntry
from northing.core.access.second_factor import STEP, code_at, step_of
from northing.web.access.forms.sign_in import MOST_OF_NAME
from tests.worlds import NOW

SECRET = "GEZDGNBVGY3TQOJQGEZDGNBVGY3TQOJQ"  # the secret of RFC 6238's own examples


@pytest.mark.parametrize(
    ("seconds", "code"),
    [(59, "287082"), (1111111109, "081804"), (1111111111, "050471"), (1234567890, "005924"), (2000000000, "279037")],
)
def test_codes_of_the_standard(seconds, code):
    assert code_at(SECRET, seconds // STEP) == code
    assert step_of(SECRET, code, seconds) == seconds // STEP
    assert step_of(SECRET, code, seconds + STEP) and not step_of(SECRET, code, seconds + 2 * STEP)
    assert step_of(SECRET, code, seconds, last=seconds // STEP) is None, "never twice"


def sign_in(client, who="dock", password=None, **more):
    data = {"username": who, "password": who if password is None else password} | more
    return client.post(reverse("sign-in"), data)


def test_a_name_is_locked_after_wrong_tries_and_opens_again(world, client):
    for _ in range(MOST_OF_NAME):
        assert b"do not match" in sign_in(client, password="wrong").content
    locked = sign_in(client)
    assert locked.status_code == 200 and b"Too many wrong tries" in locked.content
    assert sign_in(Client(), "costs").status_code == 302, "others are not locked"
    assert b"Too many" in sign_in(Client(), "DOCK").content
    with time_machine.travel(NOW + timedelta(minutes=16)):
        assert sign_in(client).status_code == 302


def test_an_address_is_locked_whatever_names_it_tries(world, client):
    for n in range(30):
        sign_in(client, f"nobody{n}", "x")
    assert b"Too many" in sign_in(client).content


@pytest.mark.parametrize("data", [{}, {"username": "\x00"}, {"username": "dock"}, {"username": "x" * 500}])
def test_odd_input(world, client, data):
    assert client.post(reverse("sign-in"), data).status_code == 200


def test_the_second_factor(world, client):
    sign_in(client)
    page = client.get(reverse("account"))
    secret = page.context["secret"]
    assert client.post(reverse("set-factor"), {"code": "000000"}).status_code == 302
    assert not Person.objects.get(username="dock").factor_secret
    step = int(time.time() // STEP)
    client.post(reverse("set-factor"), {"code": code_at(secret, step)})
    assert Person.objects.get(username="dock").factor_secret == secret
    other = Client()
    wanted = sign_in(other)
    assert wanted.status_code == 200 and b"six digits" in wanted.content and b"id_code" in wanted.content
    used = sign_in(other, code=code_at(secret, step))
    assert b"used already" in used.content
    assert sign_in(other, code=code_at(secret, step + 1)).status_code == 302
    assert b"used already" in sign_in(Client(), code=code_at(secret, step + 1)).content
    assert secret.encode() not in client.get(reverse("account")).content
    assert HistoryEntry.objects.filter(action="set_factor").count() == 1


def test_sessions_are_seen_and_ended_by_their_owner_only(world, client):
    other = Client()
    sign_in(client), sign_in(other)
    assert client.get(reverse("account")).content.count(b"this one") == 1
    far = SignIn.objects.exclude(session=client.session.session_key).get()
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


def test_behind_our_proxy_the_caller_is_whom_it_names_last(world, client, settings):
    settings.BEHIND_PROXY = True
    for n in range(30):
        client.post(
            reverse("sign-in"),
            {"username": f"n{n}", "password": "x"},
            headers={"x-forwarded-for": f"9.9.9.{n}, 7.7.7.7"},
        )
    other = {"username": "dock", "password": "dock"}
    locked = client.post(reverse("sign-in"), other, headers={"x-forwarded-for": "1.1.1.1, 7.7.7.7"})
    assert b"Too many" in locked.content
    assert client.post(reverse("sign-in"), other, headers={"x-forwarded-for": "7.7.7.7, 8.8.8.8"}).status_code == 302


def test_another_password_ends_the_other_sessions(world, client):
    other = Client()
    sign_in(client), sign_in(other)
    url = reverse("set-password")
    new = {"old_password": "dock", "new_password1": "a long new one", "new_password2": "a long new one"}
    assert client.post(url, new | {"old_password": "no"}).status_code == 422
    assert client.post(url, new | {"new_password2": "another"}).status_code == 422
    assert client.post(url, new).status_code == 302
    assert client.get("/").status_code == 200 and other.get("/").status_code == 302
    assert sign_in(Client(), password="a long new one").status_code == 302
