"""Poll carriers' feeds: what was said since the last time, page by page, each batch heard once.

A reading that fails is tried again, later and later. Nothing is lost in between: a reading that was cut off goes on at
its page, and a new one begins well before what was heard last, since carriers write late.
"""

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta

from django.conf import settings
from django.db import transaction
from django.utils import timezone

from northing.access.acts import Act
from northing.access.permissions import require_house
from northing.actions.shipping import carrier_events
from northing.activity.operations import add_history, once
from northing.core.problems import Problem, Refused, refuse_if
from northing.database.connections import release_connection
from northing.formats.dcsa import Event, read_events
from northing.integrations.carrier.base import Feed
from northing.integrations.carrier.http import HttpFeed
from northing.integrations.reading import Unreachable
from northing.masterdata.models import Party
from northing.shipping import operations as shipping
from northing.shipping.models import CarrierFeed

# What was said in the week before what we heard last is asked for again; events that are known stay alone.
OVERLAP = timedelta(days=7)
AHEAD = timedelta(days=2)
MOST_PAGES = 100
LONGEST_WAIT = timedelta(hours=4)


@dataclass(frozen=True)
class FeedRequest:
    """A carrier's feed: where, how it ranks, how often it is asked; not active: it is left alone."""

    carrier: int
    url: str
    rank: int = 1
    every_minutes: int = 15
    active: bool = True


@once
def set_feed(act: Act, request: FeedRequest) -> int:
    """Set the feed of a carrier; it is asked at once."""
    require_house(act.person)
    carrier = Party.objects.filter(pk=request.carrier, kind=Party.Kind.PROVIDER).first()
    problems = [] if carrier else [Problem("There is no such carrier.", "carrier")]
    if not request.url.startswith(("http://", "https://")) or len(request.url) > 200:
        problems.append(Problem("Enter an address that begins with https://.", "url"))
    if not 0 <= request.rank <= 99:
        problems.append(Problem("A rank is from 0 to 99.", "rank"))
    if not 1 <= request.every_minutes <= 1_440:
        problems.append(Problem("Ask between every minute and once a day.", "every_minutes"))
    refuse_if(problems)
    feed = shipping.keep_feed(act, request)
    words = f"{'Asked' if request.active else 'Not asked any more'}: {feed.url}, every {feed.every_minutes} minutes"
    add_history(act, "set_feed", f"{feed}: {words}", [("events", 0, None), ("party", request.carrier, None)])
    return feed.pk


def due_feeds(now: datetime) -> list[int]:
    """Return the feeds (ids) whose time has come."""
    return list(CarrierFeed.objects.filter(active=True, next_at__lte=now).order_by("pk").values_list("pk", flat=True))


def poll_due(now: datetime, only: Sequence[int] | None = None) -> list[str]:
    """Ask every feed whose time has come, or `only` some of them (ids); returns a sentence about each."""
    due = CarrierFeed.objects.filter(pk__in=[key for key in due_feeds(now) if only is None or key in only])
    due = due.select_related("carrier", "set_by").order_by("pk")
    return [f"{feed}: {poll(feed, now)}" for feed in due]


def poll(feed: CarrierFeed, now: datetime, source: Feed | None = None) -> str:
    """Ask a feed; returns a sentence about it. Events heard before it failed stay."""
    counts = dict.fromkeys(("new", "tied", "waits"), 0)
    said = ""
    try:
        _hear_all(feed, source or HttpFeed(feed.url, private=settings.PRIVATE_ADDRESSES), counts)
    except Unreachable as error:
        said = str(error)
    except Refused as refused:
        said = " ".join(str(problem) for problem in refused.problems)
    heard = f"{counts['new']} new, {counts['tied']} believed, {counts['waits']} waiting"
    failures = feed.failures + 1 if said else 0
    wait = min(timedelta(minutes=feed.every_minutes) * 2 ** min(failures, 8), LONGEST_WAIT)
    wait = max(wait, timedelta(minutes=feed.every_minutes)) if said else timedelta(minutes=feed.every_minutes)
    shipping.note_poll(feed, now, now + wait, failures, f"{said}; {heard}" if said else heard)
    return feed.last_said


def _hear_all(feed: CarrierFeed, source: Feed, counts: dict[str, int]) -> None:
    since = feed.heard_to - OVERLAP if feed.heard_to else None
    release_connection()
    page = source.page(since, feed.resume)
    for _ in range(MOST_PAGES):
        newest = max(filter(None, (_hear_page(feed, page.content, counts), feed.newest)), default=None)
        shipping.note_page(feed, page.next, newest)
        if not page.next:
            return
        release_connection()
        page = source.page(since, page.next)


def _hear_page(feed: CarrierFeed, content: bytes, counts: dict[str, int]) -> datetime | None:
    """Hear a page in batches, each a transaction; returns when the newest of it was said."""
    said = [event.said_at for _, _, event in read_events(content) if isinstance(event, Event)]
    for batch in carrier_events.in_batches(content):
        act = Act(feed.set_by, timezone.now(), channel="feed", of_house=True)
        with transaction.atomic():
            heard = carrier_events.hear(act, carrier_events.EventsRequest(feed.carrier.name, batch, feed.rank))
        for name in counts:
            counts[name] += heard[name]
    now = timezone.now()
    # A clock that goes wrong must not make us deaf to all that is said until then.
    return max((at for at in said if at <= now + AHEAD), default=None)
