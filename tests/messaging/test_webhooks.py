"""Notices of changes by machines: to other programs, and to the people who own the lines."""

import json
from datetime import timedelta

import pytest
from django.urls import reverse

from northing.actions.messaging.webhooks import HookRequest, add_hook
from northing.actions.shipping import carrier_events, ripple_notices
from northing.actions.worklist.proof import move_faults
from northing.core.problems import NotAllowed, Refused
from northing.integrations.hook.http import NotTaken
from northing.messaging import webhooks
from northing.messaging.models import Webhook, WebhookDelivery
from northing.shipping.models import Ripple
from northing.worklist.models import Matter
from tests.shipping.test_carrier_feeds import call
from tests.shipping.test_reroute import heron, sailing, say  # noqa: F401
from tests.worlds import NOW, TODAY

DAY = timedelta(days=1)
EVERY = ("departed", "arrived", "dates_changed")


def add(world, kinds=EVERY, url="https://x.example/told", who="administrator"):
    return add_hook(world.act(who), HookRequest(url, kinds))


@pytest.fixture
def post(monkeypatch):
    """Collect requests instead of sending them; fail as often as asked."""
    sent = []

    def deliver(url, secret, key, at, body, *, private):
        sent.append((url, secret, json.loads(body)))
        if sent_fails and sent_fails.pop():
            raise NotTaken("it answers 500")
        return 200

    sent_fails = []
    monkeypatch.setattr(webhooks, "deliver", deliver)
    return sent, sent_fails


def send_all() -> int:
    """Do what the worker does; returns how many were taken."""
    before = WebhookDelivery.objects.exclude(done_at=None).count()
    for key in WebhookDelivery.objects.values_list("pk", flat=True):
        webhooks.send(key)
    return WebhookDelivery.objects.exclude(done_at=None).count() - before


def test_departed_arrived_and_dates_changed(world, heron, post):  # noqa: F811
    made = add(world)
    shipment = sailing(world, heron)
    say(world, heron, "CNNGB", "departure", 0, "actual")
    say(world, heron, "NZTRG", "arrival", 0, "actual")
    assert send_all() == WebhookDelivery.objects.count()
    sent, _ = post
    assert {secret for _, secret, _ in sent} == {made["secret"]}
    told = [body for *_, body in sent]
    kinds = [body["kind"] for body in told]
    assert kinds.count("departed") == kinds.count("arrived") == 1
    departed = next(body for body in told if body["kind"] == "departed")
    assert departed["facts"] == {"shipment": shipment.reference, "id": shipment.pk, "on": "2026-11-24"}
    assert send_all() == 0


def test_only_what_was_asked_for_and_may_be_seen(world, heron, post):  # noqa: F811
    add(world, ("arrived",))
    world.people["dock"].grants.filter(company=world.nz).delete()
    hook = Webhook.objects.create(
        url="https://y", secret="s", kinds=list(EVERY), set_by=world.people["dock"], made_at=NOW
    )
    sailing(world, heron)
    say(world, heron, "CNNGB", "departure", 0, "actual")
    # Nothing is aboard yet when its passage is first planned: that is no one's secret.
    assert not WebhookDelivery.objects.exclude(hook=hook, kind="dates_changed").exists()


def test_not_taken_it_is_tried_again_and_given_up_after_a_day(world, heron, post):  # noqa: F811
    add(world, ("departed",))
    sailing(world, heron)
    say(world, heron, "CNNGB", "departure", 0, "actual")
    _, fails = post
    fails += [True] * 99
    key = WebhookDelivery.objects.get().pk
    for tries in range(1, len(webhooks.PAUSES) + 1):
        with pytest.raises(NotTaken):
            webhooks.send(key)
        waits = WebhookDelivery.objects.get()
        assert (waits.tries, waits.said, waits.given_up) == (tries, "it answers 500", False)
    webhooks.send(key)
    given_up = WebhookDelivery.objects.get()
    assert (given_up.given_up, given_up.said, given_up.done_at) == (True, "given up: it answers 500", None)
    assert send_all() == 0


def test_an_address_is_made_and_ended(world, client, post):
    for url, kinds, words in (("ftp://x", EVERY, "begins with https"), ("https://x", ("x",), "Choose what it is told")):
        with pytest.raises(Refused, match=words):
            add(world, kinds, url)
    with pytest.raises(NotAllowed):
        add(world, who="shipping")
    client.force_login(world.people["administrator"])
    page = client.post(reverse("hooks"), {"key": "k", "url": "https://x.example", "kinds": ["arrived"]}, follow=True)
    assert Webhook.objects.get().secret in page.content.decode()
    assert Webhook.objects.get().secret not in client.get(reverse("hooks")).content.decode()
    assert client.post(reverse("hooks"), {"key": "k2", "url": "x"}).status_code == 422
    hook = Webhook.objects.get()
    webhooks.announce(world.act("shipping"), "arrived", lambda: [({"shipment": "S"}, ())])
    client.post(reverse("end-hook", args=[hook.pk]), {"key": "e"})
    assert send_all() == 0
    assert WebhookDelivery.objects.get().said == "the webhook is disabled"
    again = client.post(reverse("end-hook", args=[hook.pk]), {"key": "e2"}, follow=True)
    assert "disabled already" in again.content.decode()


def hear(world, *events):
    lot = json.dumps(list(events)).encode()
    return carrier_events.hear(world.act("shipping"), carrier_events.EventsRequest("Feed", lot))


def test_who_owns_the_lines_sees_what_a_carrier_moved(world, heron, client):  # noqa: F811
    sailing(world, heron)
    hear(world, call("a", "ARRI", 88, 0))
    ripple = Ripple.objects.get()
    line = world.line("A")
    assert ripple.person == world.people["expediter"]
    dock = (TODAY + 91 * DAY).isoformat()
    assert ripple.lines == [[line.pk, "KLN-00001/1", "A", "2026-12-25", dock, line.need_by.isoformat()]]
    matter = Matter.objects.get(kind="ripple")
    assert matter.reason == "Feed moved 1 line; 1 need-by broken, 0 saved"
    assert (matter.person, matter.party, move_faults()) == (world.people["expediter"], "us", [])
    # The same said again, or an event that moves nothing, is no news.
    hear(world, call("b", "ARRI", 88, 1))
    assert Ripple.objects.count() == 1
    url = reverse("moved", args=[ripple.pk])
    client.force_login(world.people["buyer"])
    assert client.get(url).status_code == 404
    client.force_login(world.people["expediter"])
    page = client.get(url).content.decode()
    assert "missed" in page
    assert "/orders/lines/?where=order%20KLN-00001" in page
    assert client.post(url, {"key": "k"}).status_code == 302
    assert not Matter.objects.filter(kind="ripple").exists()
    assert "seen already" in client.post(url, {"key": "k2"}).content.decode()
    with pytest.raises(Refused, match="seen already"):
        ripple_notices.see(world.act("buyer"), ripple_notices.SeenRequest(ripple.pk))
