"""iCalendar (RFC 5545) out: days on which something happens, for whatever program shows calendars."""

from collections.abc import Iterable, Iterator
from dataclasses import dataclass
from datetime import UTC, date, datetime, timedelta

# A line holds at most 75 octets; what is longer goes on after a blank (3.1).
OCTETS = 75


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
    return "".join(f"{line}\r\n" for text in _lines(name, events, now) for line in folded(text))


def _lines(name: str, events: Iterable[AllDay], now: datetime) -> Iterator[str]:
    yield "BEGIN:VCALENDAR"
    yield "VERSION:2.0"
    yield "PRODID:-//Northing//Arrivals//EN"
    yield "CALSCALE:GREGORIAN"
    yield f"X-WR-CALNAME:{escaped(name)}"
    for event in events:
        yield "BEGIN:VEVENT"
        yield f"UID:{event.uid}"
        yield f"DTSTAMP:{now.astimezone(UTC):%Y%m%dT%H%M%SZ}"
        yield f"DTSTART;VALUE=DATE:{event.day:%Y%m%d}"
        yield f"DTEND;VALUE=DATE:{event.day + timedelta(days=1):%Y%m%d}"
        yield f"SUMMARY:{escaped(event.summary)}"
        if event.description:
            yield f"DESCRIPTION:{escaped(event.description)}"
        if event.url:
            yield f"URL:{event.url}"
        yield f"STATUS:{'CONFIRMED' if event.sure else 'TENTATIVE'}"
        yield "TRANSP:TRANSPARENT"
        yield "END:VEVENT"
    yield "END:VCALENDAR"


def escaped(text: str) -> str:
    """A text value (3.3.11).

    >>> escaped("a;b, c\\nd")
    'a\\\\;b\\\\, c\\\\nd'
    """
    plain = text.replace("\\", "\\\\").replace(";", "\\;").replace(",", "\\,")
    return plain.replace("\r\n", "\\n").replace("\n", "\\n").replace("\r", "")


def folded(line: str) -> Iterator[str]:
    """A line in pieces of at most 75 octets, never dividing a character; all but the first begin with a blank."""
    piece, size = "", 0
    for character in line:
        octets = len(character.encode())
        if size + octets > OCTETS:
            yield piece
            piece, size = " ", 1
        piece += character
        size += octets
    yield piece
