"""iCalendar: read back by a reader of the standard, folded to 75 octets, escaped."""

from datetime import UTC, date, datetime

from hypothesis import given
from hypothesis import strategies as some
from icalendar import Calendar

from northing.formats.icalendar import AllDay, calendar

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


@given(
    some.text(some.characters(exclude_categories=["Cs", "Cc"], exclude_characters="\ufeff"), min_size=1, max_size=400)
)
def test_no_line_is_longer_than_75_octets_and_nothing_is_lost(text):
    said = calendar("Dock", [AllDay("a", date(2026, 12, 1), text, text, "")], NOW)
    assert all(len(line.encode()) <= 75 for line in said.split("\r\n"))
    read = Calendar.from_ical(said).walk("VEVENT")[0]
    assert str(read["summary"]) == str(read["description"]) == text


def test_a_text_cannot_begin_an_event_of_its_own():
    said = calendar("Dock", [AllDay("a", date(2026, 12, 1), "x\r\nEND:VEVENT", "y\nBEGIN:VEVENT", "")], NOW)
    assert len(Calendar.from_ical(said).walk("VEVENT")) == 1
