"""Calendar feeds of sites: an address that shows what arrives when, to the person who has it and to no one else."""

import secrets
from dataclasses import dataclass
from datetime import datetime

from django.conf import settings

from northing.access.acts import Act
from northing.access.permissions import ASK, LOOKS, permissions_in
from northing.actions.confirmations.supplier_links import MOST_KNOCKS, MOST_MISSES, TOKEN_BYTES, hashed, knock
from northing.activity.operations import add_history, once
from northing.core.problems import NotAllowed, Problem, Refused
from northing.masterdata.models import Site
from northing.shipping import operations as shipping
from northing.shipping.models import ArrivalCalendar


@dataclass(frozen=True)
class FeedRequest:
    """A site (id) whose feed is made, or whose feeds end."""

    site: int


def make_feed(act: Act, request: FeedRequest) -> str:
    """Make a feed and return its address, once: only its hash is kept. Not keyed, since a result would be stored."""
    site = _site(act, request)
    token = secrets.token_urlsafe(TOKEN_BYTES)
    shipping.write_calendar(ArrivalCalendar(site=site, token_hash=hashed(token), made_by=act.person, made_at=act.at))
    add_history(act, "make_feed", f"Made a calendar of arrivals at {site}", [("site", site.pk, site.company_id)])
    return f"{settings.PUBLIC_URL}/shipping/calendar/{token}/arrivals.ics"


@once
def end_feeds(act: Act, request: FeedRequest) -> int:
    """End every feed of a site. Returns how many there were."""
    site = _site(act, request)
    ended = shipping.end_calendars(site, act.at)
    if ended:
        add_history(act, "end_feeds", f"Ended {ended} calendars of {site}", [("site", site.pk, site.company_id)])
    return ended


def _site(act: Act, request: FeedRequest) -> Site:
    site = Site.objects.select_related("company").filter(pk=request.site).first()
    if site is None:
        raise Refused(Problem("There is no such site.", "site"))
    if not permissions_in(act.person, site.company_id):
        raise NotAllowed(Problem(LOOKS, mend=ASK))
    return site


def opened(token: str, at: datetime, caller: str) -> ArrivalCalendar | None:
    """The feed of a token, if it is one and lives. Raises Refused when there is too much knocking."""
    feed = (
        ArrivalCalendar.objects.select_related("site__company").filter(token_hash=hashed(token), ended_at=None).first()
    )
    channel, most = (f"feed {feed.pk}", MOST_KNOCKS) if feed else (f"miss {caller}", MOST_MISSES)
    if knock(channel[:80], at) > most:
        raise Refused(Problem("This was asked for too often.", mend="Wait a minute."))
    if feed:
        shipping.use_calendar(feed, at)
    return feed
