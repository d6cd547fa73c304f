"""DCSA events: what is read, and what is refused in words; nothing that is sent breaks the reader."""

import json
from datetime import UTC, date, datetime

import pytest
from hypothesis import given
from hypothesis import strategies as some

from northing.core.problems import Refused
from northing.formats.dcsa import Event, read_event, read_events

ARRIVAL = {
    "eventID": "3fa85f64",
    "eventType": "TRANSPORT",
    "transportEventTypeCode": "ARRI",
    "eventClassifierCode": "EST",
    "eventDateTime": "2026-12-09T23:30:00+13:00",
    "eventCreatedDateTime": "2026-11-25T10:00:00Z",
    "transportCall": {
        "UNLocationCode": "NZTRG",
        "carrierVoyageNumber": "221S",
        "vessel": {"vesselIMONumber": 9074729, "vesselName": "Saltmarsh Heron"},
    },
}
GATE = {
    "eventID": "g1",
    "eventType": "EQUIPMENT",
    "equipmentEventTypeCode": "GTOT",
    "eventClassifierCode": "ACT",
    "eventDateTime": "2026-11-22T09:15:00+13:00",
    "eventCreatedDateTime": "2026-11-22T09:20:00+13:00",
    "equipmentReference": "QXNU 1003143",
    "emptyIndicatorCode": "LADEN",
    "eventLocation": {"UNLocationCode": "NZTRG"},
}


def test_a_transport_event():
    found = read_event(ARRIVAL)
    assert (found.code, found.kind, found.port, found.imo, found.voyage) == (
        "ARRI",
        "estimated",
        "NZTRG",
        "9074729",
        "221S",
    )
    assert found.day == date(2026, 12, 9), "the day at the place, not in Greenwich"
    assert found.at == datetime(2026, 12, 9, 10, 30, tzinfo=UTC)
    assert found.said_at == datetime(2026, 11, 25, 10, tzinfo=UTC) and found.container == ""


def test_an_equipment_event():
    found = read_event(GATE)
    assert (found.code, found.kind, found.container, found.empty, found.port) == (
        "GTOT",
        "actual",
        "QXNU1003143",
        False,
        "NZTRG",
    )


@pytest.mark.parametrize("place", [{"retractedEventID": "x"}, {"metadata": {"retractedEventID": "x"}}])
def test_a_withdrawal(place):
    assert read_event(GATE | place).retracts == "x"


@pytest.mark.parametrize(
    ("change", "words"),
    [
        ({"eventType": "WEATHER"}, "none of TRANSPORT"),
        ({"eventClassifierCode": "MAYBE"}, "longer than 3"),
        ({"eventClassifierCode": "REQ"}, "none of PLN"),
        ({"eventID": ""}, "eventID is missing"),
        ({"eventID": None}, "eventID is missing"),
        ({"eventID": ["x"]}, "eventID is no text"),
        ({"eventDateTime": "soon"}, "no time like"),
        ({"eventDateTime": "2026-11-22T09:15:00"}, "no offset"),
        ({"eventDateTime": "1970-01-01T00:00:00Z"}, "not a plausible time"),
        ({"eventDateTime": "2199-01-01T00:00:00Z"}, "not a plausible time"),
        ({"eventCreatedDateTime": None}, "no time like"),
        ({"equipmentReference": "x" * 16}, "longer than 15"),
        ({"equipmentReference": "a\x00"}, "longer than 15"),
        ({"transportCall": "NZTRG", "eventLocation": []}, None),
    ],
)
def test_what_cannot_be_read_is_said(change, words):
    if words is None:
        assert read_event(GATE | change).port == ""
        return
    with pytest.raises(ValueError, match=words):
        read_event(GATE | change)


@pytest.mark.parametrize("events", [[ARRIVAL, 7, GATE], {"events": [ARRIVAL, "x", GATE]}])
def test_a_file_with_one_wrong_event(events):
    found = list(read_events(json.dumps(events).encode()))
    assert [place for place, *_ in found] == [1, 2, 3]
    assert [isinstance(one, Event) for *_, one in found] == [True, False, True] and found[1][2] == "it is no object"


@pytest.mark.parametrize(
    ("content", "words"),
    [
        (b"", "no JSON"),
        (b"\xff\xfe", "no JSON"),
        (b"7", "no list of events"),
        (b'{"events": 7}', "no list of events"),
        (b"[" * 100_000, "no JSON"),
        (b"[" + b"1," * 50_001 + b"1]", "more than 50,000"),
    ],
)
def test_a_file_that_is_none(content, words):
    with pytest.raises(Refused, match=words):
        list(read_events(content))


NAMES = [*ARRIVAL, *GATE, "metadata"]
LEAVES = some.none() | some.booleans() | some.integers() | some.text(max_size=8)
ANYTHING = some.recursive(
    LEAVES,
    lambda inner: some.dictionaries(some.sampled_from(NAMES), inner, max_size=12) | some.lists(inner, max_size=3),
    max_leaves=20,
)


@given(ANYTHING)
def test_nothing_breaks_it(raw):
    try:
        assert isinstance(read_event(raw), Event)
    except ValueError as error:
        assert str(error)
