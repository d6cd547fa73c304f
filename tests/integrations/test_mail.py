"""The post over real SMTP: letters that arrive, are put off, are refused, come twice, or find no one there."""

import socket
from contextlib import nullcontext

import pytest
from django.conf import settings
from django.db import connection, transaction

from northing.integrations.mail import Attachment, Letter, SmtpPost, Undeliverable
from northing.integrations.mail.standin import Inbox, attachments_of, body_of, drawn, serve
from northing.messaging import mail as mailing
from northing.messaging.models import Message
from northing.worklist.models import Matter


def free_port():
    with socket.socket() as taken:
        taken.bind(("127.0.0.1", 0))
        return taken.getsockname()[1]


@pytest.fixture
def inbox(monkeypatch):
    """The stand-in, running; the application's letters go there."""
    box, port = Inbox(), free_port()
    smtp, page = serve(box, port, free_port())
    monkeypatch.setattr(settings, "MAIL_URL", f"smtp://127.0.0.1:{port}")
    yield box
    page.shutdown()
    smtp.stop()


def letter(recipient="orders@qinlaro.example", number="1"):
    attached = (Attachment("order.pdf", "application/pdf", b"%PDF-1.7"),)
    return Letter("us@n.example", recipient, "Order ü", "Line\n.dot\n", f"<{number}@n.example>", attached)


def test_a_letter_arrives_whole(inbox):
    SmtpPost(settings.MAIL_URL).send(letter())
    (mail,) = inbox.mails
    assert mail["Subject"] == "Order ü" and body_of(mail).splitlines() == ["Line", ".dot"]
    assert attachments_of(mail) == [("order.pdf", b"%PDF-1.7")]
    assert "order.pdf" in drawn(inbox) and "Order ü" in drawn(inbox)


def test_a_repeat_is_known_by_its_id(inbox):
    for _ in range(2):
        SmtpPost(settings.MAIL_URL).send(letter())
    assert len(inbox.mails) == 1 and inbox.repeats == 1


@pytest.mark.parametrize(
    ("recipient", "final", "words"), [("refuse@x.example", True, "550"), ("later@x.example", False, "451")]
)
def test_refusals_say_whether_trying_again_helps(inbox, recipient, final, words):
    with pytest.raises(Undeliverable, match=words) as refused:
        SmtpPost(settings.MAIL_URL).send(letter(recipient))
    assert refused.value.final is final


def test_nobody_there_is_worth_another_try():
    with pytest.raises(Undeliverable, match="cannot be reached") as refused:
        SmtpPost(f"smtp://127.0.0.1:{free_port()}").send(letter())
    assert not refused.value.final


def write(world, recipient):
    return mailing.write(world.act("expediter"), mailing.Draft("remark", recipient, "Hello\nthere", "x", world.nz.pk))


def test_the_worker_sends_once(world, inbox):
    message = write(world, "orders@qinlaro.example")
    for _ in range(3):
        mailing.send(message.pk)
    message.refresh_from_db()
    assert len(inbox.mails) == 1 and inbox.repeats == 0
    assert (message.state, message.tries, message.subject) == ("sent", 1, "Hello there")


def test_what_is_put_off_is_tried_with_growing_pauses_then_comes_back_on_the_watch(world, inbox):
    message = write(world, "later@x.example")
    for tries in range(1, len(mailing.PAUSES) + 2):
        assert message.state == "waiting"
        with pytest.raises(Undeliverable) if tries <= len(mailing.PAUSES) else nullcontext():
            mailing.send(message.pk)
        message.refresh_from_db()
        assert message.tries == tries and "451" in message.error
    assert message.state == "failed"
    matter = Matter.objects.get(kind="letter")
    assert matter.party == "us" and "451" in matter.reason and matter.company == world.nz
    mailing.again(message)
    assert not Matter.objects.filter(kind="letter").exists()


def test_a_refused_address_fails_at_once(world, inbox):
    message = write(world, "refuse@x.example")
    mailing.send(message.pk)
    message.refresh_from_db()
    assert (message.state, message.tries) == ("failed", 1) and Matter.objects.filter(kind="letter").count() == 1


def test_a_letter_is_queued_in_the_transaction_that_needs_it(world):
    with pytest.raises(RuntimeError), transaction.atomic():
        write(world, "orders@qinlaro.example")
        raise RuntimeError
    with connection.cursor() as cursor:
        cursor.execute("select count(*) from procrastinate_jobs where task_name = 'letter'")
        assert cursor.fetchone()[0] == 0
    assert Message.objects.count() == 0
