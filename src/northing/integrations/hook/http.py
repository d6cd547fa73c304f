"""Tell an address over HTTP: a signed POST of JSON, no detours, a short wait.

The signature is `t=<unix seconds>,v1=<hex>`: HMAC-SHA256 (RFC 2104) with the secret over the seconds, a point, and the
body. The receiver works it out again, and refuses what is older than some minutes.
"""

import hashlib
import hmac

import httpx

from northing.integrations.deadlines import TooSlow, within
from northing.integrations.outside import NotOutside, Place, place_of

# Seconds for each step of a call, and for the whole of it.
TIMEOUT, DEADLINE = 8, 20


class NotTaken(Exception):
    """The address did not take it this time."""


def signature(secret: str, at: int, body: bytes) -> str:
    """The header's value.

    >>> signature("s", 1, b"{}")[:12]
    't=1,v1=b2536'
    """
    mac = hmac.new(secret.encode(), f"{at}.".encode() + body, hashlib.sha256).hexdigest()
    return f"t={at},v1={mac}"


def deliver(url: str, secret: str, key: str, at: int, body: bytes, *, private: bool = False) -> int:
    """Send it; returns the status of an answer in the two hundreds. Raises NotTaken with what was said instead.

    Into a private network only where the installation allows it.
    """
    headers = {
        "Content-Type": "application/json",
        "Northing-Delivery": key,
        "Northing-Signature": signature(secret, at, body),
    }
    try:
        return within(DEADLINE, _send(place_of(url, private=private), headers, body))
    except (NotOutside, TooSlow, httpx.HTTPError, httpx.InvalidURL, ValueError) as error:
        raise NotTaken(f"it cannot be reached: {str(error)[:120]}") from error


async def _send(place: Place, headers: dict[str, str], body: bytes) -> int:
    asked = {"content": body, "headers": headers | place.headers, "extensions": place.extensions}
    # Nothing of the answer is read but its status.
    async with httpx.AsyncClient(timeout=TIMEOUT) as client, client.stream("POST", place.url, **asked) as answer:
        if answer.is_success:
            return answer.status_code
        raise NotTaken(f"it answers {answer.status_code}")
