"""Where letters go: a mail server is entered, and is kept only when it has taken a test letter."""

import re
from dataclasses import dataclass, field
from email.utils import parseaddr
from urllib.parse import urlsplit

from django.conf import settings
from django.core.exceptions import ValidationError
from django.core.validators import validate_email

from northing.access.acts import Act
from northing.access.permissions import require_house
from northing.actions.messaging.test_letter import send_through
from northing.activity.operations import add_history, once
from northing.core.problems import Problem, refuse_if
from northing.messaging import operations
from northing.messaging.mail_server import Outgoing, encrypted, from_environment, outgoing, with_password_kept
from northing.messaging.models import MailServer

# Ports on which mail servers take letters; no others, so that this page is no way to look for open doors.
PORTS = (25, 465, 587, 2525)
HOST = re.compile(r"[A-Za-z0-9](?:[A-Za-z0-9.-]{0,251}[A-Za-z0-9])?")


@dataclass(frozen=True)
class MailServerRequest:
    """A mail server. `secure`: TLS from the first byte (port 465); else STARTTLS where there is a name to sign in with.

    An empty password keeps the one of the same server and name.
    """

    host: str
    port: int
    secure: bool
    sender: str
    name: str = ""
    password: str = field(default="", repr=False)


@dataclass(frozen=True)
class EnvironmentRequest:
    """Letters go to MAIL_URL again."""


def set_mail_server(act: Act, request: MailServerRequest) -> str:
    """Send a test letter through the server, then keep it. Returns what the server said; raises Refused with it."""
    require_house(act.person)
    refuse_if(_problems(request))
    scheme = "smtps" if request.secure else "smtp"
    entered = Outgoing(
        f"{scheme}://{request.host.lower()}:{request.port}", request.sender, request.name, request.password
    )
    server = with_password_kept(entered, outgoing())
    # Before anything is kept, and outside a transaction: the server is spoken to.
    said = send_through(act, server)
    _keep(act, server)
    return said


@once
def use_environment(act: Act, _: EnvironmentRequest) -> str:
    """Letters go to MAIL_URL again. Returns its address."""
    require_house(act.person)
    operations.write_mail_server(MailServer(set_by=act.person, made_at=act.at))
    address = from_environment().address
    add_history(act, "set_mail_server", f"Letters go to {address} (MAIL_URL)", [("person", act.person.pk, None)])
    return address


@once
def _keep(act: Act, server: Outgoing) -> str:
    kept = MailServer(
        address=server.address,
        name=server.name,
        password=encrypted(server),
        sender=server.sender,
        set_by=act.person,
        made_at=act.at,
    )
    operations.write_mail_server(kept)
    told = f"Letters go to {server.address}, from {server.sender}"
    add_history(act, "set_mail_server", told, [("person", act.person.pk, None)])
    return server.address


def _problems(request: MailServerRequest) -> list[Problem]:
    found = []
    if not HOST.fullmatch(request.host):
        found.append(Problem("This is not the name of a host.", "host", "Such as mail.example.com, without a port."))
    allowed = sorted({*PORTS, urlsplit(settings.MAIL_URL).port or 25})
    if request.port not in allowed:
        found.append(Problem(f"Letters go to one of the ports {', '.join(map(str, allowed))}.", "port"))
    if not _is_sender(request.sender):
        mend = "Such as orders@example.com, or Example Ltd <orders@example.com>."
        found.append(Problem("This is not a mail address.", "sender", mend))
    if request.password and not request.name:
        found.append(Problem("A password needs the name to sign in with.", "name"))
    return found


def _is_sender(words: str) -> bool:
    try:
        validate_email(parseaddr(words)[1])
    except ValidationError:
        return False
    return words.isprintable() and len(words) <= 254
