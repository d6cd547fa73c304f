"""iCalendar: read back by a reader of the standard, folded to 75 octets, escaped."""

from datetime import UTC, date, datetime

import pytest
from hypothesis import given
from hypothesis import strategies as some

from northing.formats.icalendar import AllDay, calendar, escaped, folded

NOW = datetime(2026, 11, 25, 12, 30, tzinfo=UTC)


def unfolded(text):
    """The lines of a calendar, put together again by the rule of the standard."""
    return text.replace("\r\n ", "").split("\r\n")


def test_an_event():
    event = AllDay(
        "shipment-3-site-1@northing", date(2026, 12, 31), "S-00003, 2 boxes", "Kettles\nCups; blue", "https://x/"
    )
    lines = unfolded(calendar("Tauranga", [event], NOW))
    assert lines[0] == "BEGIN:VCALENDAR" and lines[-2:] == ["END:VCALENDAR", ""]
    inside = lines[lines.index("BEGIN:VEVENT") : lines.index("END:VEVENT") + 1]
    assert inside == [
        "BEGIN:VEVENT",
        "UID:shipment-3-site-1@northing",
        "DTSTAMP:20261125T123000Z",
        "DTSTART;VALUE=DATE:20261231",
        "DTEND;VALUE=DATE:20270101",
        "SUMMARY:S-00003\\, 2 boxes",
        "DESCRIPTION:Kettles\\nCups\\; blue",
        "URL:https://x/",
        "STATUS:TENTATIVE",
        "TRANSP:TRANSPARENT",
        "END:VEVENT",
    ]


def test_an_empty_calendar_is_one():
    assert unfolded(calendar("Dock", [], NOW))[-2] == "END:VCALENDAR"


@pytest.mark.parametrize(
    ("text", "said"), [("a\\b", "a\\\\b"), ("a\r\nb", "a\\nb"), ("a\rb", "ab"), ("BEGIN:VEVENT", "BEGIN:VEVENT")]
)
def test_texts_are_escaped(text, said):
    assert escaped(text) == said


@given(some.text(max_size=400))
def test_no_line_is_longer_than_75_octets_and_nothing_is_lost(text):
    line = escaped(text.replace("\r", "").replace("\n", ""))
    pieces = list(folded(line))
    assert all(len(piece.encode(errors="surrogatepass")) <= 75 for piece in pieces)
    assert pieces[0] + "".join(piece[1:] for piece in pieces[1:]) == line
