"""iCalendar (RFC 5545) out: days on which something happens, for whatever program shows calendars."""

from collections.abc import Iterable
from dataclasses import dataclass
from datetime import UTC, date, datetime, timedelta

from icalendar import Calendar, Event


@dataclass(frozen=True, slots=True)
class AllDay:
    """An event of one day. `uid` stays the same while the event moves; `sure` is whether it has happened."""

    uid: str
    day: date
    summary: str
    description: str
    url: str
    sure: bool = False


def calendar(name: str, events: Iterable[AllDay], now: datetime) -> str:
    """A calendar of all-day events, as text with CRLF.

    >>> event = AllDay("a", date(2026, 12, 1), "Kettles, 2 boxes", "", "")
    >>> calendar("Dock", [event], datetime(2026, 11, 25, 12, tzinfo=UTC)).count("\\r\\n")
    15
    """
    whole = Calendar()
    for key, value in (
        ("version", "2.0"),
        ("prodid", "-//Northing//Arrivals//EN"),
        ("calscale", "GREGORIAN"),
        ("x-wr-calname", name),
    ):
        whole.add(key, value)
    for event in events:
        whole.add_component(_event(event, now))
    return str(whole.to_ical(sorted=False).decode())


def _event(event: AllDay, now: datetime) -> Event:
    made = Event()
    made.add("uid", event.uid)
    made.add("dtstamp", now.astimezone(UTC))
    made.add("dtstart", event.day)
    made.add("dtend", event.day + timedelta(days=1))
    made.add("summary", event.summary)
    if event.description:
        made.add("description", event.description)
    if event.url:
        made.add("url", event.url)
    made.add("status", "CONFIRMED" if event.sure else "TENTATIVE")
    made.add("transp", "TRANSPARENT")
    return made
