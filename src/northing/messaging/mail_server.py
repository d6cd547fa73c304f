"""Where letters go: what an administrator entered, or MAIL_URL and MAIL_FROM of the environment."""

from dataclasses import dataclass, field, replace
from urllib.parse import quote, unquote, urlsplit

from cryptography.fernet import InvalidToken
from django.conf import settings

from northing.access.ciphers import cipher_for
from northing.messaging.models import MailServer

CIPHER = "mail server"


@dataclass(frozen=True)
class Outgoing:
    """A mail server: its address, a name and a password where it asks for them, and whom letters are from."""

    address: str
    sender: str
    name: str = ""
    # Not in its repr: that stands in logs and in the digest of a key.
    password: str = field(default="", repr=False)

    @property
    def url(self) -> str:
        """As SmtpPost takes it, with the name and the password."""
        scheme, _, where = self.address.partition("://")
        who = f"{quote(self.name, safe='')}:{quote(self.password, safe='')}@" if self.name else ""
        return f"{scheme}://{who}{where}"


def outgoing() -> Outgoing:
    """Where letters go now."""
    entered = MailServer.objects.first()
    if entered is None or not entered.address:
        return from_environment()
    try:
        password = cipher_for(CIPHER).decrypt(entered.password.encode()).decode() if entered.password else ""
    except InvalidToken:
        # Of another installation's SECRET_KEY: the server will refuse the sign-in and say so.
        password = ""
    return Outgoing(entered.address, entered.sender or settings.MAIL_FROM, entered.name, password)


def from_environment() -> Outgoing:
    """MAIL_URL and MAIL_FROM."""
    at = urlsplit(settings.MAIL_URL)
    address = f"{at.scheme}://{at.hostname}:{at.port or (465 if at.scheme == 'smtps' else 25)}"
    return Outgoing(address, settings.MAIL_FROM, unquote(at.username or ""), unquote(at.password or ""))


def encrypted(server: Outgoing) -> str:
    """The password as it is stored."""
    return cipher_for(CIPHER).encrypt(server.password.encode()).decode() if server.password else ""


def with_password_kept(server: Outgoing, before: Outgoing) -> Outgoing:
    """A password that is not typed again stays, for the same server and name only: no other server is shown it."""
    same = (server.address, server.name) == (before.address, before.name)
    return replace(server, password=before.password) if same and not server.password else server
