"""Dates of a passage: which statement is believed, and how a slip runs on through the legs."""

from collections.abc import Iterable, Sequence
from dataclasses import dataclass, replace
from datetime import date, datetime, timedelta

KIND_RANK = {"planned": 0, "estimated": 1, "actual": 2}


@dataclass(frozen=True, slots=True)
class Statement:
    """A person's statement about one date. `rank` (of who said it), then `id`,
    settle what was said at one instant.
    """

    kind: str
    value: date
    said_at: datetime
    id: int
    rank: int = 0


def weight(said: Statement) -> tuple[int, datetime, int, int]:
    """By what one of two statements about a date is believed: the higher."""
    return KIND_RANK[said.kind], said.said_at, said.rank, said.id


def believed(statements: Iterable[Statement], today: date) -> tuple[date, bool] | None:
    """The date to believe, and whether it has happened; None where nothing was said.

    Actual over estimated over planned, newer over older, then the higher rank, then the higher id. What has not
    happened is never believed before today.
    """
    best = max(statements, key=weight, default=None)
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


def for_container(
    legs: Sequence[PlannedLeg],
    landed: int,
    leaves: int | None,
    discharged: Sequence[Statement] = (),
    out: Sequence[Statement] = (),
) -> list[PlannedLeg]:
    """The legs as they are for one container: its own statements go before its vessel's.

    `landed` is the index of the leg that ends with its discharge, `leaves` of the one it leaves the port with. A plan
    for a container is no more than that: its vessel's dates go before it.
    """
    found = list(legs)
    if any(said.kind != "planned" for said in discharged):
        found[landed] = replace(found[landed], said_of_end=discharged)
    if leaves is not None and out:
        found[leaves] = replace(found[leaves], said_of_start=[*found[leaves].said_of_start, *out])
    return found


@dataclass(frozen=True, slots=True)
class ExpectedLeg:
    """A leg as it is expected now."""

    start: date
    end: date
    started: bool
    ended: bool


def expected_legs(legs: Sequence[PlannedLeg], today: date) -> list[ExpectedLeg]:
    """Expected start and end of each leg, in order.

    Statements about a date decide it. Otherwise the planned wait follows the previous leg's
    expected end and the planned duration follows the start. Nothing that has not happened lies
    before today; what a later actual date implies (it left, so it had arrived) has happened, at the
    latest on that later day.
    """
    days = expected_days(
        [
            Point(day, said)
            for leg in legs
            for day, said in ((leg.start, leg.said_of_start), (leg.end, leg.said_of_end))
        ],
        today,
    )
    return [
        ExpectedLeg(start, end, started, ended)
        for (start, started), (end, ended) in zip(days[::2], days[1::2], strict=True)
    ]


@dataclass(frozen=True, slots=True)
class Point:
    """A date of a chain as planned, with what was said of it."""

    plan: date
    said: Sequence[Statement] = ()


def expected_days(points: Sequence[Point], today: date) -> list[tuple[date, bool]]:
    """The expected date of each point of a chain, and whether it has happened; by the rules of `expected_legs`.

    The newest plan that a person said takes the place of ours, and shifts what is planned after it: like ours, it
    shifts with what came before.
    A voyage's calls are such a chain (arrival, departure, arrival ...), and so are the legs of a shipment.
    """
    said = [[one for one in point.said if one.kind != "planned"] for point in points]
    plan = _plans(points)
    implied = _latest_implied([believed(statements, today) for statements in said])
    days: list[date] = []
    for index, statements in enumerate(said):
        found = believed(statements, today)
        follows = days[-1] + (plan[index] - plan[index - 1]) if index else plan[0]
        limit = implied[index]
        if found and (found[1] or limit is None):
            day = found[0]
        elif limit is not None:
            day = min(found[0] if found else follows, limit)
        else:
            day = max(follows, today)
        # A wrong order of what was said must not make a passage run backwards.
        days.append(max(day, days[-1]) if days and limit is None else day)
    happened = [
        limit is not None or _is_actual(statements, today) for limit, statements in zip(implied, said, strict=True)
    ]
    return list(zip(days, happened, strict=True))


def _plans(points: Sequence[Point]) -> list[date]:
    shift, plans = timedelta(0), []
    for point in points:
        newest = believed([one for one in point.said if one.kind == "planned"], date.min)
        if newest:
            shift = newest[0] - point.plan
        plans.append(point.plan + shift)
    return plans


def _is_actual(statements: Iterable[Statement], today: date) -> bool:
    found = believed(statements, today)
    return found is not None and found[1]


def _latest_implied(dates: Sequence[tuple[date, bool] | None]) -> list[date | None]:
    """For each date, the next later one that has happened: it happened by then. None where there is none."""
    limits: list[date | None] = []
    limit: date | None = None
    for found in reversed(dates):
        limits.append(limit)
        if found and found[1]:
            limit = found[0] if limit is None else min(limit, found[0])
    return limits[::-1]


def standing(legs: Sequence[ExpectedLeg]) -> tuple[int, bool]:
    """Where a shipment is: the index of a leg (past the last: done), and whether it is on it or waits for it.

    >>> past, now, later = date(2026, 11, 1), date(2026, 11, 9), date(2026, 11, 20)
    >>> done, on = ExpectedLeg(past, now, True, True), ExpectedLeg(now, later, True, False)
    >>> standing([done, on]), standing([done]), standing([ExpectedLeg(now, later, False, False)])
    ((1, True), (1, False), (0, False))
    """
    index = max((index for index, leg in enumerate(legs) if leg.started), default=-1)
    if index >= 0 and not legs[index].ended:
        return index, True
    return index + 1, False


def share_passed(start: date, end: date, today: date) -> float:
    """How much of the days from `start` to `end` has passed at noon today; between 0 and 1, never all or nothing.

    >>> share_passed(date(2026, 11, 1), date(2026, 11, 9), date(2026, 11, 5))
    0.5
    """
    days = max((end - start).days, 0) + 1
    return (min(max((today - start).days, 0), days - 1) + 0.5) / days
