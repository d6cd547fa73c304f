"""From what the board reports to what is drawn: words for every bar and mark."""

from collections.abc import Iterable
from datetime import date, timedelta

from django.urls import reverse

from northing.drawings.board import Band, Bar, Mark, span
from northing.drawings.figures import day as say_day
from northing.reports.board import BoxDrawn, CallDrawn, LegDrawn, ShipmentDrawn, VoyageDrawn

DAY = timedelta(days=1)


def bands(voyages: Iterable[VoyageDrawn], today: date) -> list[Band]:
    """The rows of the board, from above."""
    found = []
    for voyage in voyages:
        found.append(_voyage(voyage, today))
        found += [_shipment(one, today) for one in voyage.shipments]
    return found


def _voyage(voyage: VoyageDrawn, today: date) -> Band:
    boxes = sum(len(one.boxes) for one in voyage.shipments)
    tells = f"{voyage.name}: {len(voyage.shipments)} shipments, {boxes} containers"
    calls = [f"{one.milestone} {one.port} {say_day(one.expected, today.year)}" for one in voyage.calls]
    href = reverse("voyage", args=[voyage.key]) if voyage.key else ""
    marks = [_call(voyage, one, today) for one in voyage.calls]
    bars = []
    if len(voyage.calls) > 1:
        first, last = voyage.calls[0], voyage.calls[-1]
        bars = [Bar("sails", "sea", first.expected, last.expected, span(first.expected, last.expected, today.year))]
    return Band("voyage", voyage.name, href, "; ".join([tells, *calls]), bars, marks)


def _call(voyage: VoyageDrawn, one: CallDrawn, today: date) -> Mark:
    year = today.year
    said = f"{voyage.name}: {one.milestone} {one.port} {say_day(one.expected, year)}"
    if one.planned and one.planned != one.expected:
        said += f", planned {say_day(one.planned, year)}"
    if one.happened:
        return Mark("call done", one.expected, f"{said}, happened")
    late = " late" if one.planned and one.expected > one.planned else ""
    tells = f"{said}. Drag it, or press left and right, then Enter, to estimate another day."
    return Mark(f"call{late}", one.expected, tells, f"{voyage.key}-{one.call}-{one.milestone}")


def _shipment(one: ShipmentDrawn, today: date) -> Band:
    bars = [bar for leg in one.legs for bar in _leg(leg, today) if not (one.done and bar.kind == "expected")]
    year = today.year
    marks = []
    for needed, count in one.needed:
        late = bool(one.expected_dock and one.expected_dock > needed)
        words = f"{count} line{'s' if count > 1 else ''} needed by {say_day(needed, year)}"
        marks.append(Mark("missed" if late else "need", needed, words + (", missed" if late else "")))
    dock = f"at the dock {say_day(one.expected_dock, year)}" if one.expected_dock else "no dock date"
    dock = "received" if one.done else dock
    tells = [one.reference, dock]
    if one.slip:
        tells.append(f"{abs(one.slip)} days {'behind' if one.slip > 0 else 'ahead of'} plan")
    if one.broken:
        tells.append(f"{one.broken} need-by date{'s' if one.broken > 1 else ''} missed")
    tells += [_clock_words(box) for box in one.boxes if box.clock and box.ended is None]
    boxes = [(box.number, _clock(box, today)) for box in one.boxes]
    href = reverse("shipment", args=[one.key])
    return Band("shipment", one.reference, href, "; ".join(tells), bars, marks, one.slip, boxes)


def _leg(leg: LegDrawn, today: date) -> Iterable[Bar]:
    year = today.year
    what = f"{leg.mode} {leg.places}"
    yield Bar("ghost", leg.mode, *leg.planned, f"{what}: planned {span(*leg.planned, year)}")
    first, last = leg.expected
    words = f"{what}: {span(first, last, year)}"
    if leg.ended or (leg.started and first <= today):
        done = last if leg.ended else min(today, last)
        yield Bar("actual", leg.mode, first, done, f"{words}, {'done' if leg.ended else 'begun'}")
        first = done + DAY
    if not leg.ended and first <= last:
        yield Bar("expected", leg.mode, first, last, words)


def _clock(box: BoxDrawn, today: date) -> list[Bar]:
    if box.started is None or box.free_until is None:
        return []
    words = _clock_words(box)
    bars = [Bar("clock", "free", box.started, box.free_until, words)]
    end = box.ended or today
    if end > box.free_until:
        bars.append(Bar("clock", "paid", box.free_until + DAY, end, words))
    return bars


def _clock_words(box: BoxDrawn) -> str:
    until = f"{box.number} free until {box.free_until:%-d %b}" if box.free_until else box.number
    if box.clock and box.clock.paid_days:
        return f"{until}, {box.clock.paid_days} days paid"
    return until
