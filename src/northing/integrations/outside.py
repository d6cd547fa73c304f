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


# Networks of IPv6 that carry an IPv4 address, which may be a private one: NAT64 (RFC 6052, RFC 8215), 6to4 (RFC 3056),
# Teredo (RFC 4380), IPv4-compatible (RFC 4291). And site-local addresses, which Python takes for global ones.
CARRYING = [
    ipaddress.ip_network(one)
    for one in ("64:ff9b::/96", "64:ff9b:1::/48", "2002::/16", "2001::/32", "::/96", "fec0::/10")
]


def is_outside(number: ipaddress.IPv4Address | ipaddress.IPv6Address) -> bool:
    """Return whether an address is of the open Internet.

    >>> [is_outside(ipaddress.ip_address(one)) for one in ("1.1.1.1", "10.0.0.1", "64:ff9b::a00:1", "2002:a00:1::")]
    [True, False, False, False]
    """
    if isinstance(number, ipaddress.IPv6Address):
        if number.ipv4_mapped is not None:
            return is_outside(number.ipv4_mapped)
        if any(number in network for network in CARRYING):
            return False
    return number.is_global and not number.is_multicast


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
    if not private and not all(map(is_outside, numbers)):
        raise NotOutside("it lies in a private network; the installation does not allow that")
    number = f"[{numbers[0]}]" if numbers[0].version == 6 else str(numbers[0])
    where = urlunsplit((parts.scheme, f"{number}:{port}", parts.path, parts.query, ""))
    return Place(where, {"Host": parts.netloc.rpartition("@")[2]}, {"sni_hostname": host})
