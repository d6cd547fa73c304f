"""A feed over HTTP: GET /events of the DCSA Track & Trace API, pages by the `Next-Page` header."""

import http.client
import urllib.error
import urllib.request
from datetime import datetime
from urllib.parse import urlencode, urljoin, urlsplit

from northing.integrations.carrier.base import Feed, Page, Unreachable
from northing.integrations.web import OPENER

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
        where = urljoin(self.url, at) if at else f"{self.url}events?{urlencode(asked)}"
        if urlsplit(where)[:2] != urlsplit(self.url)[:2]:
            raise Unreachable("the feed redirects us to another address")
        request = urllib.request.Request(where, headers={"Accept": "application/json"})
        try:
            with OPENER.open(request, timeout=TIMEOUT) as answer:
                content = answer.read(LARGEST + 1)
                following = answer.headers.get("Next-Page", "")
        except urllib.error.HTTPError as error:
            raise Unreachable(f"it answers {error.code} {error.reason}") from error
        except (OSError, http.client.HTTPException, ValueError) as error:
            raise Unreachable(f"it cannot be reached: {str(error)[:120]}") from error
        if len(content) > LARGEST:
            raise Unreachable(f"a page of it is larger than {LARGEST // 1_000_000} MB")
        return Page(content, following)
