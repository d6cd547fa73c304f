"""Letters: written down in the action that needs them, sent by the worker, tried again with growing pauses.

A letter is sent at least once and looks the same each time (one Message-ID): a receiver that minds repeats gets it
exactly once, which is as far as SMTP can go. What fails for good, and what is tried again, is told to
settings.LETTER_LISTENERS.
"""

import secrets
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

from django.conf import settings
from django.utils import timezone
from django.utils.module_loading import import_string
from procrastinate.contrib.django import app

from northing.access.acts import Act
from northing.database.connections import release_connection
from northing.integrations.mail import Attachment, Letter, SmtpPost, Undeliverable
from northing.messaging.mail_server import Outgoing, outgoing
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
    message = _message(act, draft)
    message.save()
    _queue(message)
    return message


def send_now(act: Act, draft: Draft, server: Outgoing) -> Message:
    """Send a letter while its writer waits, and write it down once it has gone. Raises Undeliverable."""
    message = _message(act, draft)
    release_connection()
    SmtpPost(server.url).send(_letter(message, server.sender))
    message.state, message.tries, message.sent_at = Message.State.SENT, 1, timezone.now()
    message.save()
    return message


def _message(act: Act, draft: Draft) -> Message:
    return Message(
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


def send(pk: int) -> None:
    """Send a letter that waits; one that is sent or has failed is left alone. Raises what the
    server said where it is to go again.

    No transaction is open and no connection is held while the mail server is spoken to.
    """
    message = Message.objects.filter(pk=pk, state=Message.State.WAITING).first()
    if message is None:
        return
    try:
        server = outgoing()
        letter = _letter(message, server.sender)
        release_connection()
        SmtpPost(server.url).send(letter)
    except Undeliverable as error:
        if not _over(message, str(error), error.final):
            raise
    except Exception:
        _over(message, "the letter could not be written; the reason is in the log", final=False)
        raise
    else:
        _note(message, Message.State.SENT, "", sent_at=timezone.now())


def again(message: Message) -> None:
    """Try a letter that failed once more."""
    message.tries = 0
    message.state, message.error = Message.State.WAITING, ""
    message.save()
    _tell(message)
    _queue(message)


def _queue(message: Message) -> None:
    # The lock: a letter is never in two hands at once.
    app.configure_task(TASK, lock=f"letter {message.pk}").defer(message=message.pk)


def _over(message: Message, error: str, final: bool) -> bool:
    """Note a try that failed; whether it was the last."""
    over = final or message.tries >= len(PAUSES)
    _note(message, Message.State.FAILED if over else Message.State.WAITING, error[:240])
    if over:
        _tell(message)
    return over


def _note(message: Message, state: str, error: str, **more: Any) -> None:
    message.tries += 1
    message.state, message.error = state, error
    Message.objects.filter(pk=message.pk).update(state=state, error=error, tries=message.tries, **more)


def _tell(message: Message) -> None:
    for listener in settings.LETTER_LISTENERS:
        import_string(listener)(message)


def _letter(message: Message, sender: str) -> Letter:
    body, said = message.body, {}
    for words, filler in settings.LETTER_FILLERS.items():
        if words in body:
            said[words] = import_string(filler)(message)
            body = body.replace(words, said[words])
    files = tuple(
        Attachment(*file)
        for maker, what in message.attached
        for file in import_string(settings.LETTER_FILES[maker])(what, said)
    )
    return Letter(sender, message.recipient, message.subject, body, message.message_id, files)
