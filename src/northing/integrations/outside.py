"""Where a request that a person set up may go: not into our own house, and to the address that was looked at."""

import ipaddress
import socket
from dataclasses import dataclass
from urllib.parse import urlsplit, urlunsplit


class NotOutside(Exception):
    """Why the address is not asked."""


@dataclass(frozen=True)
class Place:
    """A request by the number of its host: its name stands in the headers, and is what a certificate is proved by."""

    url: str
    headers: dict[str, str]
    extensions: dict[str, str]


def place_of(url: str, *, private: bool) -> Place:
    """The place an address means now. The name is looked up once, so that it cannot mean another one later.

    Unless the installation allows `private` addresses, one in our own network is refused, whatever it is called.
    Raises NotOutside.
    """
    parts = urlsplit(url)
    host = parts.hostname
    if parts.scheme not in ("http", "https") or not host:
        raise NotOutside("it is no address of the web")
    port = parts.port or (443 if parts.scheme == "https" else 80)
    try:
        found = [row[4][0] for row in socket.getaddrinfo(host, port, type=socket.SOCK_STREAM)]
    except (OSError, UnicodeError) as error:
        raise NotOutside(f"its name is not known: {str(error)[:80]}") from error
    numbers = [ipaddress.ip_address(str(one).partition("%")[0]) for one in found]
    if not private and not all(number.is_global and not number.is_multicast for number in numbers):
        raise NotOutside("it lies in a private network; the installation does not allow that")
    number = f"[{numbers[0]}]" if numbers[0].version == 6 else str(numbers[0])
    where = urlunsplit((parts.scheme, f"{number}:{port}", parts.path, parts.query, ""))
    return Place(where, {"Host": parts.netloc.rpartition("@")[2]}, {"sni_hostname": host})
