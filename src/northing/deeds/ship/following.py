"""Follow: departures and arrivals, once for all aboard; the ripple of a date."""

from collections.abc import Iterable
from dataclasses import dataclass
from datetime import date
from decimal import Decimal

from django.db.models import F, Sum

from northing.core.ownership import moments_through
from northing.core.passage import ExpectedLeg, expected_legs
from northing.core.problems import Problem, refuse_if
from northing.deeds.aftermath import bring_along
from northing.deeds.cost import owning
from northing.directory.acts import Act, future_problem
from northing.directory.models import Company
from northing.directory.rights import companies_of
from northing.ledger.operations import open_entry
from northing.ledger.queries import posting_note
from northing.papers.operations import once, tell
from northing.shipping import operations as shipping
from northing.shipping.models import DateStatement, Leg, Shipment, Stowage, Voyage
from northing.shipping.queries import UNSETTLED, companies_aboard, planned_legs
from northing.standing import operations as standing


@dataclass(frozen=True)
class DateRequest:
    """What is said about a leg's departure or arrival. On the main leg it is said of the voyage."""

    leg: int
    milestone: str
    kind: str
    value: date
    said: shipping.Said | None = None


@dataclass(frozen=True)
class RippleLine:
    """A line of which units aboard a shipment would come to the dock on another day."""

    line: int
    name: str
    item: str
    description: str
    quantity: Decimal
    old: date | None
    new: date
    need_by: date

    @property
    def days(self) -> int:
        """Days later; negative is earlier."""
        return (self.new - self.old).days if self.old else 0

    @property
    def breaks(self) -> bool:
        """The new date is the first to miss the need-by date."""
        return self.new > self.need_by and not (self.old and self.old > self.need_by)

    @property
    def saves(self) -> bool:
        """The new date meets a need-by date that the old one missed."""
        return self.new <= self.need_by and bool(self.old and self.old > self.need_by)


@dataclass(frozen=True)
class Ripple:
    """What saving a date would do: lines that move, worst first; goods that become ours, by company."""

    lines: list[RippleLine]
    owned: list[tuple[Company, Decimal]]

    @property
    def breaks(self) -> int:
        return sum(line.breaks for line in self.lines)

    @property
    def saves(self) -> int:
        return sum(line.saves for line in self.lines)


@dataclass
class _Subject:
    leg: Leg
    voyage: Voyage | None
    shipments: list[Shipment]

    @property
    def keys(self) -> list[int]:
        return [shipment.pk for shipment in self.shipments]


def _subject(request: DateRequest, *, lock: bool) -> _Subject:
    leg = Leg.objects.select_related("shipment__voyage").get(pk=request.leg)
    voyage = leg.shipment.voyage if leg.main else None
    found = Shipment.objects.filter(voyage=voyage) if voyage else Shipment.objects.filter(pk=leg.shipment_id)
    keys = list(found.values_list("pk", flat=True))
    shipments = shipping.lock(keys).values() if lock else found.order_by("pk")
    return _Subject(leg, voyage, list(shipments))


def preview(request: DateRequest, today: date, companies: set[int]) -> Ripple:
    """What saving this date would do to the goods of these companies; nothing is written.

    Raises Refused where goods would become ours and there is no rate for the day.
    """
    subject = _subject(request, lock=False)
    return Ripple(_lines_moving(subject, request, today, companies), _becoming_ours(subject, request, companies))


def _lines_moving(subject: _Subject, request: DateRequest, today: date, companies: set[int]) -> list[RippleLine]:
    docks = {}
    for shipment in subject.shipments:
        _, planned = planned_legs(shipment, [_unsaved(subject, request)])
        docks[shipment.pk] = (shipment.expected_dock, expected_legs(planned, today)[-1].end)
    moving = [key for key, (old, new) in docks.items() if old != new]
    open_parts = Stowage.objects.filter(container__shipment__in=moving, settled__lt=F("quantity"))
    rows = open_parts.filter(instalment__line__order__company__in=companies).values_list(*RIPPLE).order_by(*RIPPLE)
    lines = [
        RippleLine(line, f"{order}/{number}", item, description, quantity, *docks[shipment], need_by)
        for shipment, line, order, number, item, description, need_by, quantity in rows.annotate(Sum("quantity"))
    ]
    return sorted(lines, key=lambda line: (not line.breaks, -line.days))


RIPPLE = (
    "container__shipment",
    "instalment__line",
    "instalment__line__order__number",
    "instalment__line__number",
    "instalment__line__item__code",
    "instalment__line__item__description",
    "instalment__line__need_by",
)


def _becoming_ours(subject: _Subject, request: DateRequest, companies: set[int]) -> list[tuple[Company, Decimal]]:
    event = _event(subject.leg, request.milestone)
    if event is None or not _actual(request):
        return []
    stowage = Stowage.objects.filter(
        container__shipment__in=subject.keys, instalment__line__order__company__in=companies
    )
    totals: dict[int, Decimal] = {}
    for one in owning.becoming_ours(stowage, event, request.value):
        totals[one.goods.company] = totals.get(one.goods.company, Decimal(0)) + one.base
    found = Company.objects.in_bulk(totals)
    return [(found[key], total) for key, total in totals.items()]


def _unsaved(subject: _Subject, request: DateRequest) -> DateStatement:
    # The year 9999 stands for "said after everything that was said so far".
    from_now_on = "9999-01-01T00:00:00+00:00"
    said = DateStatement(
        voyage=subject.voyage,
        leg=None if subject.voyage else subject.leg,
        milestone=request.milestone,
        kind=request.kind,
        value=request.value,
    )
    said.said_at = DateStatement._meta.get_field("said_at").to_python(from_now_on)
    return said


@once
def say_date(act: Act, request: DateRequest) -> int:
    """Record what was said; an actual departure or arrival moves the goods and may make them ours."""
    subject = _say(act, request)
    follow_dates(act, subject.shipments)
    return subject.leg.shipment_id


def note_estimate(act: Act, request: DateRequest) -> set[int]:
    """Record an estimate, one of many; returns the shipments (ids) that whoever heard them brings along at the end."""
    if _actual(request):
        raise ValueError("what has happened is followed at once")
    return {shipment.pk for shipment in _say(act, request).shipments}


def _say(act: Act, request: DateRequest) -> _Subject:
    subject = _subject(request, lock=True)
    companies = companies_aboard(subject.keys)
    act.require("say_dates", *(companies or companies_of(act.person)))
    refuse_if(_problems(act, subject, request))
    shipping.write_statement(
        act,
        subject.voyage,
        None if subject.voyage else subject.leg,
        request.milestone,
        request.kind,
        request.value,
        said=request.said,
    )
    story = tell(
        act, "say_date", _words(subject, request), _links(subject), request.value if _actual(request) else None
    )
    if _actual(request):
        _happen(act, story, subject, request, set().union(*companies.values()))
    return subject


def _actual(request: DateRequest) -> bool:
    return request.kind == DateStatement.Kind.ACTUAL


def _problems(act: Act, subject: _Subject, request: DateRequest) -> list[Problem]:
    if request.milestone not in ("departure", "arrival") or request.kind not in ("estimated", "actual"):
        return [Problem("Say departure or arrival, estimated or actual.", "kind")]
    found = []
    if _actual(request):
        found += future_problem(request.value, act, "value")
    if abs((request.value - act.today).days) > 1000:
        found.append(Problem("This day is years away.", "value", "Check the year."))
    first = subject.shipments[0]
    if request.milestone == "arrival" and subject.leg.main and _actual(request):
        if not first.departed_on:
            found.append(Problem("The departure is not recorded yet.", "milestone", "Record it first."))
        elif request.value < first.departed_on:
            found.append(
                Problem("It cannot arrive before it departed.", "value", f"It departed on {first.departed_on}.")
            )
    if request.milestone == "departure" and _actual(request) and subject.leg.main and first.departed_on:
        found.append(Problem(f"The departure is recorded already, on {first.departed_on}.", "milestone"))
    if request.milestone == "arrival" and _actual(request) and subject.leg.main and first.arrived_on:
        found.append(Problem(f"The arrival is recorded already, on {first.arrived_on}.", "milestone"))
    return found


SAILS = {"on_board": ("departed_on", "packed", "under_way"), "arrival": ("arrived_on", "under_way", "landed")}


def _happen(act: Act, story, subject: _Subject, request: DateRequest, moments: set[str]) -> None:
    event = _event(subject.leg, request.milestone)
    if event is None:
        return
    if event in SAILS:
        fact, source, target = SAILS[event]
        shipping.mark_sailed(subject.shipments, fact, request.value)
        standing.move_all(story, source, target, UNSETTLED, [subject.keys])
    if moments.isdisjoint(moments_through(event)):
        return
    stowage = Stowage.objects.filter(container__shipment__in=subject.keys)
    owned = owning.becoming_ours(stowage, event, request.value)
    if owned:
        companies = {one.goods.company for one in owned}
        text = f"Goods became ours: {event.replace('_', ' ')} of {subject.voyage or subject.leg.shipment}"
        text += posting_note(companies, request.value)
        entry = open_entry(act, story, text, companies, request.value)
        owning.take_ownership(entry, owned, request.value)


def _event(leg: Leg, milestone: str) -> str | None:
    """What happens to the goods: pickup, on board, arrival; None for a leg that changes nothing."""
    if leg.main:
        return "on_board" if milestone == "departure" else "arrival"
    return "pickup" if leg.number == 1 and milestone == "departure" else None


def follow_dates(act: Act, shipments: Iterable[Shipment]) -> None:
    """Bring legs, dock dates, expectations and matters along with what is said now."""
    keys, moved = [], []
    for shipment in shipments:
        before = shipment.expected_dock
        legs, planned = planned_legs(shipment)
        expected: list[ExpectedLeg] = expected_legs(planned, act.today)
        shipping.take_over_dates(shipment, legs, expected)
        keys.append(shipment.pk)
        if shipment.expected_dock != before:
            moved.append(shipment.pk)
    instalments = Stowage.objects.filter(container__shipment__in=moved).values_list("instalment", flat=True)
    bring_along(dated=instalments.distinct(), shipments=keys)


def _words(subject: _Subject, request: DateRequest) -> str:
    what = f"{subject.voyage}" if subject.voyage else f"{subject.leg.origin} to {subject.leg.destination}"
    by = f", said by {request.said.source}" if request.said else ""
    return f"{what}: {request.kind} {request.milestone} {request.value:%-d %b %Y}{by}"


def _links(subject: _Subject) -> list[tuple[str, int, int | None]]:
    links: list[tuple[str, int, int | None]] = [("shipment", shipment.pk, None) for shipment in subject.shipments]
    if subject.voyage:
        links.append(("voyage", subject.voyage.pk, None))
    return links
