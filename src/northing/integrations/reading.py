"""Reading what stands at an address that a person set up."""

from collections.abc import Mapping

import httpx

from northing.integrations.outside import NotOutside, place_of

TIMEOUT = 8
LARGEST = 20_000_000


class Unreachable(Exception):
    """The address gave nothing this time: not there, too slow, an error of its own. A later try may help."""


def read_from(url: str, accept: str, *, private: bool) -> tuple[bytes, Mapping[str, str]]:
    """The content at an address, and the headers of the answer. Raises Unreachable.

    Redirects are not followed: an address that is asked may not send us to another one.
    """
    try:
        place = place_of(url, private=private)
        asked = {"headers": {"Accept": accept} | place.headers, "extensions": place.extensions}
        with httpx.Client(timeout=TIMEOUT) as client, client.stream("GET", place.url, **asked) as answer:
            if not answer.is_success:
                raise Unreachable(f"it answers {answer.status_code} {answer.reason_phrase}")
            content = bytearray()
            for part in answer.iter_bytes():
                content += part
                if len(content) > LARGEST:
                    raise Unreachable(f"its answer is larger than {LARGEST // 1_000_000} MB")
            return bytes(content), answer.headers
    except (NotOutside, httpx.HTTPError, httpx.InvalidURL, ValueError) as error:
        raise Unreachable(f"it cannot be reached: {str(error)[:120]}") from error
