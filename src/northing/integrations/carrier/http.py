"""A feed over HTTP: GET /events of the DCSA Track & Trace API, pages by the `Next-Page` header."""

from datetime import datetime
from urllib.parse import urlencode, urljoin, urlsplit

import httpx

from northing.integrations.carrier.base import Feed, Page, Unreachable
from northing.integrations.outside import NotOutside, place_of

TIMEOUT = 8
LARGEST = 20_000_000
LIMIT = 5_000


class HttpFeed(Feed):
    """The events under an address such as https://carrier.example/v2."""

    def __init__(self, url: str, *, private: bool = False):
        self.url = url.rstrip("/") + "/"
        self.private = private

    def page(self, since: datetime | None, at: str = "") -> Page:
        asked = {"limit": str(LIMIT)}
        if since:
            asked["eventCreatedDateTime:gte"] = since.isoformat()
        try:
            where = urljoin(self.url, at) if at else f"{self.url}events?{urlencode(asked)}"
            if urlsplit(where)[:2] != urlsplit(self.url)[:2]:
                raise Unreachable("the feed redirects us to another address")
            # No redirects: an address that is asked may not send us to another one.
            place = place_of(where, private=self.private)
            asked = {"headers": {"Accept": "application/json"} | place.headers, "extensions": place.extensions}
            with httpx.Client(timeout=TIMEOUT) as client, client.stream("GET", place.url, **asked) as answer:
                if not answer.is_success:
                    raise Unreachable(f"it answers {answer.status_code} {answer.reason_phrase}")
                return Page(_read(answer), answer.headers.get("Next-Page", ""))
        except (NotOutside, httpx.HTTPError, httpx.InvalidURL, ValueError) as error:
            raise Unreachable(f"it cannot be reached: {str(error)[:120]}") from error


def _read(answer: httpx.Response) -> bytes:
    content = bytearray()
    for part in answer.iter_bytes():
        content += part
        if len(content) > LARGEST:
            raise Unreachable(f"a page of it is larger than {LARGEST // 1_000_000} MB")
    return bytes(content)
