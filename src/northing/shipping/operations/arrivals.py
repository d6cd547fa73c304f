"""Writes of learnt spreads, carriers' feeds and ripples."""

from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from datetime import datetime
from typing import Any, Protocol

from northing.access.acts import Act
from northing.access.models import Person
from northing.masterdata.models import Site
from northing.shipping.models import (
    ArrivalCalendar,
    CarrierEvent,
    CarrierFeed,
    LearntSpread,
    Ripple,
)


def keep_spreads(at: datetime, learnt: Mapping[tuple[str, ...], Mapping[int, int]]) -> None:
    """Replace the learnt spreads by those of the passages finished now."""
    LearntSpread.objects.all().delete()
    rows = [("|".join(key)[:120], {str(day): count for day, count in some.items()}) for key, some in learnt.items()]
    LearntSpread.objects.bulk_create(LearntSpread(key=key, counts=counts, learnt_at=at) for key, counts in rows)


class FeedAsked(Protocol):
    """The fields of a carrier's feed."""

    carrier: int
    url: str
    rank: int
    every_minutes: int
    active: bool


def keep_feed(act: Act, asked: FeedAsked) -> CarrierFeed:
    """The feed of a carrier; at another address it is heard from its beginning."""
    feed, _ = CarrierFeed.objects.select_for_update().get_or_create(
        carrier_id=asked.carrier, defaults={"url": asked.url, "set_by": act.person, "next_at": act.at}
    )
    if feed.url != asked.url:
        feed.heard_to, feed.newest, feed.resume = None, None, ""
    feed.url, feed.rank, feed.every_minutes, feed.active = asked.url, asked.rank, asked.every_minutes, asked.active
    feed.set_by, feed.next_at, feed.failures = act.person, act.at, 0
    feed.save()
    return feed


def note_page(feed: CarrierFeed, following: str, newest: datetime | None) -> None:
    """A page is heard; with the last of them all that was said up to the newest is."""
    feed.resume, feed.newest = following[:500], newest
    if not following:
        feed.heard_to, feed.newest = max(filter(None, (feed.heard_to, newest)), default=None), None
    feed.save(update_fields=["resume", "newest", "heard_to"])


def note_poll(feed: CarrierFeed, at: datetime, following: datetime, failures: int, said: str) -> None:
    """How asking a feed went, and when it is asked again."""
    feed.last_at, feed.next_at, feed.failures, feed.last_said = at, following, failures, said[:240]
    feed.save(update_fields=["last_at", "next_at", "failures", "last_said"])


@dataclass(frozen=True)
class RippleKept:
    """The rows of a ripple as they are kept, and how many need-by dates it broke and saved."""

    rows: list[list[Any]]
    broken: int
    saved: int


def write_ripple(act: Act, source: str, person: int, company: int, kept: RippleKept) -> Ripple:
    """Write how a machine's change moved a person's lines."""
    return Ripple.objects.create(
        person_id=person,
        company_id=company,
        source=source,
        at=act.at,
        lines=kept.rows,
        broken=kept.broken,
        saved=kept.saved,
    )


def see_ripple(ripple: Ripple, at: datetime) -> None:
    """Its person has seen it."""
    ripple.seen_at = at
    ripple.save(update_fields=["seen_at"])


def write_calendar(calendar: ArrivalCalendar) -> ArrivalCalendar:
    """A calendar of arrivals, of whose address only the hash is kept."""
    calendar.save(force_insert=True)
    return calendar


def end_calendars(site: Site, at: datetime) -> int:
    """End every calendar of a site. Returns how many there were."""
    return ArrivalCalendar.objects.filter(site=site, ended_at=None).update(ended_at=at)


def end_calendars_of(person: Person, at: datetime) -> int:
    """End every calendar that a person made. Returns how many there were."""
    return ArrivalCalendar.objects.filter(made_by=person, ended_at=None).update(ended_at=at)


def use_calendar(calendar: ArrivalCalendar, at: datetime) -> None:
    """Note when a calendar was read last."""
    ArrivalCalendar.objects.filter(pk=calendar.pk).update(used_at=at)


def withdraw_events(events: Iterable[int], words: str) -> None:
    """Carriers' events (ids) that their sender took back; those that waited are only noted."""
    gone = CarrierEvent.objects.filter(pk__in=list(events))
    gone.update(retracted=True)
    gone.filter(state=CarrierEvent.State.WAITS).update(state=CarrierEvent.State.NOTED, says=words)


def mark_event(event: CarrierEvent) -> None:
    """Save what became of an event."""
    event.save(update_fields=["state", "says"])
