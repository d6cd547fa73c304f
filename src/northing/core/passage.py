"""Dates of a passage: which statement is believed, and how a slip runs on through the legs."""

from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from datetime import date, datetime, timedelta

KIND_RANK = {"planned": 0, "estimated": 1, "actual": 2}


@dataclass(frozen=True, slots=True)
class Statement:
    """What somebody said about one date. `id` settles what was said at the same instant."""

    kind: str
    value: date
    said_at: datetime
    id: int


def believed(statements: Iterable[Statement], today: date) -> tuple[date, bool] | None:
    """The date to believe, and whether it has happened; None where nothing was said.

    Actual over estimated over planned, newer over older, then the higher id. What has not happened
    is never believed before today.
    """
    best = max(statements, key=lambda said: (KIND_RANK[said.kind], said.said_at, said.id), default=None)
    if best is None:
        return None
    happened = best.kind == "actual"
    return (best.value if happened else max(best.value, today)), happened


@dataclass(frozen=True, slots=True)
class PlannedLeg:
    """A leg as planned, with what was said of its start and end."""

    start: date
    end: date
    said_of_start: Sequence[Statement] = ()
    said_of_end: Sequence[Statement] = ()


@dataclass(frozen=True, slots=True)
class ExpectedLeg:
    """A leg as it is expected now."""

    start: date
    end: date
    started: bool
    ended: bool


def expected_legs(legs: Sequence[PlannedLeg], today: date) -> list[ExpectedLeg]:
    """Expected start and end of each leg, in order.

    What is said of a date decides it. Otherwise the planned wait follows the previous leg's
    expected end, the planned duration follows the start, and nothing that has not happened lies
    before today.
    """
    expected: list[ExpectedLeg] = []
    for index, leg in enumerate(legs):
        follows = leg.start
        if index:
            follows = expected[-1].end + (leg.start - legs[index - 1].end)
        start, started = believed(leg.said_of_start, today) or (max(follows, today), False)
        said_of_end = believed(leg.said_of_end, today)
        if said_of_end and said_of_end[1] and not started:
            start, started = min(follows, said_of_end[0]), True  # it arrived, so it left
        end, ended = said_of_end or (max(start + (leg.end - leg.start), today), False)
        expected.append(ExpectedLeg(start, max(end, start), started, ended))
    return expected


def promised_arrival(ready: date, passage_days: int) -> date:
    """Expected dock date of goods that are not packed yet: ready date plus the usual passage.

    >>> promised_arrival(date(2026, 1, 1), 40)
    datetime.date(2026, 2, 10)
    """
    return ready + timedelta(days=passage_days)
