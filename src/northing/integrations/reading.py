"""Reading what stands at an address that a person set up."""

from collections.abc import Mapping

import httpx

from northing.integrations.deadlines import TooSlow, within
from northing.integrations.outside import NotOutside, Place, place_of

# Seconds for each step of a call, and for the whole of it.
TIMEOUT, DEADLINE = 8, 60
LARGEST = 20_000_000


class Unreachable(Exception):
    """The address gave nothing this time: not there, too slow, an error of its own. A later try may help."""


def read_from(url: str, accept: str, *, private: bool) -> tuple[bytes, Mapping[str, str]]:
    """The content at an address, and the headers of the answer. Raises Unreachable.

    Redirects are not followed: an address that is asked may not send us to another one.
    """
    try:
        place = place_of(url, private=private)
        return within(DEADLINE, _read(place, accept))
    except (NotOutside, TooSlow, httpx.HTTPError, httpx.InvalidURL, ValueError) as error:
        raise Unreachable(f"it cannot be reached: {str(error)[:120]}") from error


async def _read(place: Place, accept: str) -> tuple[bytes, Mapping[str, str]]:
    asked = {"headers": {"Accept": accept} | place.headers, "extensions": place.extensions}
    async with httpx.AsyncClient(timeout=TIMEOUT) as client, client.stream("GET", place.url, **asked) as answer:
        if not answer.is_success:
            raise Unreachable(f"it answers {answer.status_code} {answer.reason_phrase}")
        content = bytearray()
        async for part in answer.aiter_bytes():
            content += part
            if len(content) > LARGEST:
                raise Unreachable(f"its answer is larger than {LARGEST // 1_000_000} MB")
        return bytes(content), answer.headers
