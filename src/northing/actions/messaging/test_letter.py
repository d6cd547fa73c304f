"""A test letter to the person who asks for it; the mail server's answer comes back."""

from dataclasses import dataclass

from django.conf import settings
from django.utils import timezone

from northing.access.acts import Act
from northing.access.permissions import require_somewhere
from northing.activity.operations import add_history
from northing.core.problems import Problem, Refused
from northing.integrations.mail.base import Undeliverable
from northing.messaging import mail


@dataclass(frozen=True)
class TestLetterRequest:
    """A test letter, to the person's own address."""


def send_test_letter(act: Act, _: TestLetterRequest) -> str:
    """Send it at once. Returns where it went; raises Refused with what the server said."""
    require_somewhere(act.person, "keep_house")
    to = act.person.email
    if not to:
        raise Refused(Problem("You have no mail address.", mend="Enter it at your own page, or under People."))
    draft = mail.Draft(
        kind="test",
        recipient=to,
        subject="A test letter of Northing",
        body=f"It left on {timezone.localtime(act.at):%-d %b %Y at %H:%M}. Letters to suppliers go the same way.\n",
    )
    try:
        mail.send_now(act, draft)
    except Undeliverable as error:
        mend = "MAIL_URL, in the environment of the application, says where the mail server is."
        raise Refused(Problem(f"{mail.server()} said: {error}.", mend=mend)) from None
    told = f"Sent a test letter to {to}"
    add_history(act, "test_letter", told, [("person", act.person.pk, None)])
    return f"{mail.server()} took the letter to {to}, from {settings.MAIL_FROM}."
