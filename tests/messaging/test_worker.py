"""The worker, a process of its own: what is not taken goes again after the pause, and no connection waits meanwhile."""

import os
import subprocess
import sys

from django.db import connection
from django.utils import timezone

from northing.messaging import mail, webhooks
from northing.messaging.models import Message, Webhook, WebhookDelivery
from tests.database import address
from tests.worlds import small_world

REAL_CLOCK = True
NOBODY_THERE = {"MAIL_URL": "smtp://127.0.0.1:9", "DJANGO_SETTINGS_MODULE": "northing.settings.testing"}


def work_once():
    env = os.environ | NOBODY_THERE | {"DATABASE_URL": address()}
    subprocess.run([sys.executable, "-m", "django", "work", "--once"], env=env, check=True, timeout=60)


def queued():
    with connection.cursor() as cursor:
        cursor.execute(
            "select task_name, status::text, attempts, scheduled_at from procrastinate_jobs"
            " where task_name in ('letter', 'webhook') order by id"
        )
        return cursor.fetchall()


def test_what_is_not_taken_goes_again_after_the_pause(transactional_db, monkeypatch):
    world = small_world()
    Webhook.objects.create(
        url="http://127.0.0.1:9/",
        secret="s",
        kinds=["arrived"],
        set_by=world.people["administrator"],
        made_at=timezone.now(),
    )
    message = mail.write(world.act("expediter"), mail.Draft("remark", "a@x.example", "Hello", "x", world.nz.pk))
    webhooks.announce(world.act("shipping"), "arrived", lambda: [({"shipment": "S"}, ())])
    work_once()
    (letter, at), (notice, later) = [(row[:3], row[3]) for row in queued()]
    assert letter == ("letter", "todo", 1) and notice == ("webhook", "todo", 1)
    assert 0 < (at - timezone.now()).total_seconds() <= mail.PAUSES[0]
    assert mail.PAUSES[0] < (later - timezone.now()).total_seconds() <= webhooks.PAUSES[0]
    work_once()
    message.refresh_from_db()
    assert (message.state, message.tries) == ("waiting", 1), "the pause is waited for"
    assert "cannot be reached" in message.error and "cannot be reached" in WebhookDelivery.objects.get().said

    held = []
    monkeypatch.setattr(mail.SmtpPost, "send", lambda post, letter: held.append(connection.connection))
    mail.send(message.pk)
    assert held == [None] and Message.objects.get().state == "sent"
    monkeypatch.setattr(webhooks, "deliver", lambda *_, **__: held.append(connection.connection) or 200)
    webhooks.send(WebhookDelivery.objects.get().pk)
    assert held == [None, None] and WebhookDelivery.objects.get().said == "taken with 200"
