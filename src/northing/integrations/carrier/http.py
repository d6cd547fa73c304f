"""A feed over HTTP: GET /events of the DCSA Track & Trace API, pages by the `Next-Page` header."""

from datetime import datetime
from urllib.parse import urlencode, urljoin, urlsplit

import httpx

from northing.integrations.carrier.base import Feed, Page, Unreachable

TIMEOUT = 8
LARGEST = 20_000_000
LIMIT = 5_000


class HttpFeed(Feed):
    """The events under an address such as https://carrier.example/v2."""

    def __init__(self, url: str):
        self.url = url.rstrip("/") + "/"

    def page(self, since: datetime | None, at: str = "") -> Page:
        asked = {"limit": str(LIMIT)}
        if since:
            asked["eventCreatedDateTime:gte"] = since.isoformat()
        try:
            where = urljoin(self.url, at) if at else f"{self.url}events?{urlencode(asked)}"
            if urlsplit(where)[:2] != urlsplit(self.url)[:2]:
                raise Unreachable("the feed redirects us to another address")
            # No redirects: an address that is asked may not send us to another one.
            with httpx.stream("GET", where, headers={"Accept": "application/json"}, timeout=TIMEOUT) as answer:
                if not answer.is_success:
                    raise Unreachable(f"it answers {answer.status_code} {answer.reason_phrase}")
                return Page(_read(answer), answer.headers.get("Next-Page", ""))
        except (httpx.HTTPError, httpx.InvalidURL, ValueError) as error:
            raise Unreachable(f"it cannot be reached: {str(error)[:120]}") from error


def _read(answer: httpx.Response) -> bytes:
    content = bytearray()
    for part in answer.iter_bytes():
        content += part
        if len(content) > LARGEST:
            raise Unreachable(f"a page of it is larger than {LARGEST // 1_000_000} MB")
    return bytes(content)
