"""A feed over HTTP: GET /events of the DCSA Track & Trace API, pages by the `Next-Page` header."""

from datetime import datetime
from urllib.parse import urlencode, urljoin, urlsplit

from northing.integrations.carrier.base import Feed, Page
from northing.integrations.reading import Unreachable, read_from

LIMIT = 5_000


class HttpFeed(Feed):
    """The events under an address such as https://carrier.example/v2."""

    def __init__(self, url: str, *, private: bool = False):
        self.url = url.rstrip("/") + "/"
        self.private = private

    def page(self, since: datetime | None, at: str = "") -> Page:
        try:
            where = self._address(since, at)
        except ValueError as error:
            raise Unreachable(f"it cannot be reached: {str(error)[:120]}") from error
        content, headers = read_from(where, "application/json", private=self.private)
        return Page(content, headers.get("Next-Page", ""))

    def _address(self, since: datetime | None, at: str) -> str:
        """The address of a page. Raises Unreachable where a page before it leads elsewhere, ValueError for nonsense."""
        asked = {"limit": str(LIMIT)}
        if since:
            asked["eventCreatedDateTime:gte"] = since.isoformat()
        where = urljoin(self.url, at) if at else f"{self.url}events?{urlencode(asked)}"
        if urlsplit(where)[:2] != urlsplit(self.url)[:2]:
            raise Unreachable("the feed redirects us to another address")
        return where
