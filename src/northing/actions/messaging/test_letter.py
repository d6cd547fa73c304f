"""A test letter to the person who asks for it; the mail server's answer comes back."""

from dataclasses import dataclass

from django.utils import timezone

from northing.access.acts import Act
from northing.access.permissions import require_house
from northing.activity.operations import add_history
from northing.core.problems import Problem, Refused
from northing.integrations.mail.base import Undeliverable
from northing.messaging import mail
from northing.messaging.mail_server import Outgoing, outgoing


@dataclass(frozen=True)
class TestLetterRequest:
    """A test letter, to the person's own address."""


def send_test_letter(act: Act, _: TestLetterRequest) -> str:
    """Send it at once. Returns where it went; raises Refused with what the server said."""
    require_house(act.person)
    return send_through(act, outgoing())


def send_through(act: Act, server: Outgoing) -> str:
    """Send the person a test letter through a server. Returns where it went; raises Refused with what it said."""
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
        mail.send_now(act, draft, server)
    except Undeliverable as error:
        mend = "Check the address, the port, the name and the password of the mail server."
        raise Refused(Problem(f"{server.address} said: {error}.", mend=mend)) from None
    add_history(act, "test_letter", f"Sent a test letter to {to}", [("person", act.person.pk, None)])
    return f"{server.address} took the letter to {to}, from {server.sender}."
