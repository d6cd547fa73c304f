"""Letters: written down in the action that needs them, sent by the worker, tried again with growing pauses.

A letter is sent at least once and looks the same each time (one Message-ID): a receiver that minds repeats gets it
exactly once, which is as far as SMTP can go. What fails for good, and what is tried again, is told to
settings.LETTER_LISTENERS.
"""

import secrets
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import timedelta

from django.conf import settings
from django.db import transaction
from django.utils import timezone
from django.utils.module_loading import import_string
from procrastinate.contrib.django import app

from northing.access.acts import Act
from northing.integrations.mail import Attachment, Letter, SmtpPost, Undeliverable
from northing.messaging.models import Message

TASK = "letter"
# Seconds to wait after the first, second, ... try that failed; after the last of them it has failed.
PAUSES = (30, 120, 600, 1_800, 7_200, 21_600)
File = tuple[str, str, bytes]


@dataclass(frozen=True)
class Draft:
    """A letter as it is written down. `papers` are made when it goes: (maker, what it is made of)."""

    kind: str
    recipient: str
    subject: str
    body: str
    company: int | None = None
    supplier: int | None = None
    papers: Sequence[tuple[str, int]] = ()


def write(act: Act, draft: Draft) -> Message:
    """Write a letter down and queue it, in the transaction of the person who needs it."""
    message = Message.objects.create(
        kind=draft.kind,
        recipient=draft.recipient,
        subject=" ".join(draft.subject.split())[:200],
        body=draft.body,
        message_id=f"<{secrets.token_hex(16)}@{settings.MAIL_DOMAIN}>",
        company_id=draft.company,
        supplier_id=draft.supplier,
        attached=[list(paper) for paper in draft.papers],
        made_at=act.at,
    )
    app.configure_task(TASK).defer(message=message.pk)
    return message


def send(pk: int) -> None:
    """Send a letter that waits; one that is sent or has failed is left alone. The row is held while it goes."""
    with transaction.atomic():
        message = Message.objects.select_for_update().filter(pk=pk, state=Message.State.WAITING).first()
        if message is None:
            return
        try:
            SmtpPost(settings.MAIL_URL).send(_letter(message))
        except Undeliverable as error:
            _put_off(message, error)
            return
        message.state, message.sent_at, message.error = Message.State.SENT, timezone.now(), ""
        message.tries += 1
        message.save()


def again(message: Message) -> None:
    """Try a letter that failed once more."""
    message.state, message.tries, message.error = Message.State.WAITING, 0, ""
    message.save()
    _tell(message)
    app.configure_task(TASK).defer(message=message.pk)


def _put_off(message: Message, error: Undeliverable) -> None:
    message.tries += 1
    message.error = str(error)[:240]
    if error.final or message.tries > len(PAUSES):
        message.state = Message.State.FAILED
        message.save()
        _tell(message)
        return
    message.save()
    pause = timedelta(seconds=PAUSES[message.tries - 1])
    app.configure_task(TASK, schedule_at=timezone.now() + pause).defer(message=message.pk)


def _tell(message: Message) -> None:
    for listener in settings.LETTER_LISTENERS:
        import_string(listener)(message)


def _letter(message: Message) -> Letter:
    body = message.body
    for words, filler in settings.LETTER_FILLERS.items():
        if words in body:
            body = body.replace(words, import_string(filler)(message))
    files = tuple(
        Attachment(*file)
        for maker, what in message.attached
        for file in import_string(settings.LETTER_FILES[maker])(what)
    )
    return Letter(settings.MAIL_FROM, message.recipient, message.subject, body, message.message_id, files)
