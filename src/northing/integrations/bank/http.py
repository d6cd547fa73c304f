"""The daily rates of a central bank, asked over HTTP."""

import httpx

from northing.integrations.outside import NotOutside, place_of

TIMEOUT = 8
# A history of many years is larger than any day's rates.
LARGEST = 20_000_000


class Unreachable(Exception):
    """The bank gave nothing this time: not there, too slow, an error of its own. A later try may help."""


def fetch(url: str, *, private: bool = False) -> bytes:
    """What stands at the address. Raises Unreachable; redirects are not followed."""
    try:
        place = place_of(url, private=private)
        asked = {"headers": {"Accept": "application/xml"} | place.headers, "extensions": place.extensions}
        with httpx.Client(timeout=TIMEOUT) as client, client.stream("GET", place.url, **asked) as answer:
            if not answer.is_success:
                raise Unreachable(f"it answers {answer.status_code} {answer.reason_phrase}")
            content = bytearray()
            for part in answer.iter_bytes():
                content += part
                if len(content) > LARGEST:
                    raise Unreachable(f"it gives more than {LARGEST // 1_000_000} MB")
            return bytes(content)
    except (NotOutside, httpx.HTTPError, httpx.InvalidURL, ValueError) as error:
        raise Unreachable(f"it cannot be reached: {str(error)[:120]}") from error
