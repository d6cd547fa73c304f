"""Follow: departures and arrivals, once for all aboard; the ripple of a date."""

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from datetime import UTC, date, datetime
from decimal import Decimal

from django.db.models import Q

from northing.access.acts import Act, future_problem
from northing.access.permissions import companies_of
from northing.actions.costing import ownership, revalue
from northing.actions.costing.revalue import Worth
from northing.actions.shipping import required_documents, sail
from northing.actions.shipping.ripple import Ripple, moving
from northing.actions.worklist.refresh import bring_along
from northing.activity.operations import add_history, once
from northing.core.checks import answered, finding, strongest
from northing.core.money.periods import far_problems
from northing.core.planning.passage import expected_legs
from northing.core.problems import NotAllowed, Problem, Refused, refuse_if
from northing.masterdata.models import Company
from northing.messaging.webhooks import announce
from northing.receiving.queries import EVENTS
from northing.receiving.queries import proven as proven_by_receipt
from northing.shipping import dates
from northing.shipping import operations as shipping
from northing.shipping.models import DateStatement, Leg, PortCall, Shipment, ShipmentLine, Voyage
from northing.shipping.queries import (
    Planned,
    companies_aboard,
    newest_said,
    own_docks,
    planned_legs,
    sailings,
)


@dataclass(frozen=True)
class DateRequest:
    """What is said about the departure or arrival of a leg, or of a voyage's call at a port (ids).

    For a leg that a voyage sails the statement is about the voyage's call there, for all shipments that share it.
    """

    leg: int | None
    milestone: str
    kind: str
    value: date
    said: dates.Said | None = None
    call: int | None = None
    # A person was asked about what is missing, and goes on all the same.
    accept: bool = False


@dataclass(frozen=True)
class _Touched:
    """A shipment whose dates follow what is said, and what happens to its goods with it."""

    shipment: Shipment
    event: str | None


@dataclass
class _Subject:
    call: PortCall | None
    leg: Leg | None
    touched: list[_Touched]

    @property
    def shipments(self) -> list[Shipment]:
        return [one.shipment for one in self.touched]

    @property
    def keys(self) -> list[int]:
        return [shipment.pk for shipment in self.shipments]

    def those(self, event: str) -> list[Shipment]:
        """The shipments to whose goods this happens."""
        return [one.shipment for one in self.touched if one.event == event]

    def to_follow(self, event: str) -> list[Shipment]:
        """Those of them whose goods have not followed it yet; a day that is corrected moves nothing again."""
        fact = sail.SAILS[event][0] if event in sail.SAILS else ""
        return [shipment for shipment in self.those(event) if not (fact and getattr(shipment, fact))]

    @property
    def events(self) -> list[str]:
        return sorted({one.event for one in self.touched if one.event})

    @property
    def name(self) -> str:
        if self.call:
            return f"{self.call.voyage}"
        return f"{self.leg.origin} to {self.leg.destination}" if self.leg else ""


def _subject(request: DateRequest, *, lock: bool) -> _Subject:
    side = "load_call" if request.milestone == "departure" else "discharge_call"
    leg = Leg.objects.get(pk=request.leg) if request.leg else None
    call = request.call or (leg and getattr(leg, f"{side}_id"))
    # Of a voyage all of its shipments: a slip runs on to those that load or discharge at later calls.
    sailed = Leg.objects.filter(load_call__voyage__calls=call)
    legs = sailed if call else Leg.objects.filter(pk=request.leg)
    keys = list(legs.values_list("shipment", flat=True).order_by("shipment"))
    shipments = shipping.lock(keys) if lock else Shipment.objects.in_bulk(keys)
    # Read again behind the lock: a leg may have been planned anew by whom we waited for.
    by_shipment: dict[int, list[Leg]] = {}
    for one in Leg.objects.filter(shipment__in=shipments).order_by("shipment", "number"):
        by_shipment.setdefault(one.shipment_id, []).append(one)
    touched = []
    for key, those in sorted(by_shipment.items()):
        mine = [one for one in those if getattr(one, f"{side}_id") == call] if call else []
        mine = mine or [one for one in those if one.pk == request.leg]
        event = sail.event_of(mine[0], those, request.milestone) if mine else None
        touched.append(_Touched(shipments[key], event))
    found = PortCall.objects.select_related("voyage", "port").get(pk=call) if call else None
    return _Subject(found, leg, touched)


def preview(request: DateRequest, today: date, companies: set[int]) -> Ripple:
    """The effect of saving this date on the goods of these companies; nothing is written.

    Raises Refused where goods would become ours, or be valued anew, and there is no rate for the day.
    """
    subject = _subject(request, lock=False)
    planned, _ = planned_legs(subject.shipments, today, [_unsaved(subject, request)])
    worth = _becoming_ours(subject, request, companies) + _anew(subject, request, planned, today, companies)
    return Ripple(moving(planned, today, companies), worth)


def _anew(
    subject: _Subject, request: DateRequest, planned: Mapping[int, Planned], today: date, companies: set[int]
) -> list[Worth]:
    if not _actual(request):
        return []
    shipments = {shipment.pk: shipment for shipment in subject.shipments}
    return revalue.foresee(revalue.moments_of(shipments, planned, today), companies)


def _becoming_ours(subject: _Subject, request: DateRequest, companies: set[int]) -> list[Worth]:
    if not _actual(request):
        return []
    totals: dict[int, Decimal] = {}
    for event in subject.events:
        aboard = ShipmentLine.objects.filter(container__shipment__in=[one.pk for one in subject.to_follow(event)])
        mine = aboard.filter(instalment__line__order__company__in=companies)
        for one in ownership.becoming_ours(mine, event, request.value):
            totals[one.goods.company] = totals.get(one.goods.company, Decimal(0)) + one.base
    found = Company.objects.in_bulk(totals)
    return [Worth(found[key], Decimal(0), total) for key, total in totals.items()]


# Stands for "said after everything that was said so far".
FROM_NOW_ON = datetime(9999, 1, 1, tzinfo=UTC)


def _unsaved(subject: _Subject, request: DateRequest) -> DateStatement:
    said = DateStatement(
        call=subject.call,
        leg=None if subject.call else subject.leg,
        milestone=request.milestone,
        kind=request.kind,
        value=request.value,
    )
    said.said_at = FROM_NOW_ON
    return said


@once
def say_date(act: Act, request: DateRequest) -> int:
    """Record what was said; an actual departure or arrival moves the goods and may make them ours."""
    subject = _say(act, request)
    follow_dates(act, subject.shipments, [subject.call] if subject.call else [])
    return subject.leg.shipment_id if subject.leg else 0


def say(act: Act, request: DateRequest) -> list[Shipment]:
    """`say_date` for one of many, inside a transaction: the caller follows the dates of these shipments."""
    return _say(act, request).shipments


def _say(act: Act, request: DateRequest) -> _Subject:
    subject = _subject(request, lock=True)
    companies = companies_aboard(subject.keys)
    act.require("say_dates", *(companies or companies_of(act.person)))
    refuse_if(_problems(act, subject, request))
    _require_own(act, subject, request)
    if _actual(request):
        _require_rates(subject, request.value)
    dates.write_statement(
        act,
        subject.call,
        None if subject.call else subject.leg,
        request.milestone,
        request.kind,
        request.value,
        said=request.said,
    )
    history = add_history(
        act, "say_date", _words(subject, request), _links(subject), request.value if _actual(request) else None
    )
    if _actual(request):
        _happen(act, history, subject, request, set().union(*companies.values()))
    return subject


def _require_own(act: Act, subject: _Subject, request: DateRequest) -> None:
    """By its link a provider says when the goods that it carries or forwards are expected; we record what happened."""
    if act.supplier is None:
        return
    named = {shipment.voyage_id for shipment in subject.shipments}
    carried = set(Voyage.objects.filter(pk__in=named, carrier=act.supplier).values_list("pk", flat=True))
    if not all(one.forwarder_id == act.supplier or one.voyage_id in carried for one in subject.shipments):
        raise NotAllowed(Problem("Not all of this sails with you.", mend="Write to us about it."))
    if request.kind != DateStatement.Kind.ESTIMATED:
        raise NotAllowed(Problem("By a link one says when it is expected.", "kind", "Write to us about what happened."))


def _require_rates(subject: _Subject, day: date) -> None:
    """Require rates for the day on which corrected goods are valued anew."""
    for event in subject.events:
        fresh = {shipment.pk for shipment in subject.to_follow(event)} if event in sail.SAILS else set()
        ownership.require_rates([one.pk for one in subject.those(event) if one.pk not in fresh], day)


def _actual(request: DateRequest) -> bool:
    return request.kind == DateStatement.Kind.ACTUAL


def _problems(act: Act, subject: _Subject, request: DateRequest) -> list[Problem]:
    if request.milestone not in ("departure", "arrival") or request.kind not in DateStatement.Kind.values:
        return [Problem("Say departure or arrival; planned, estimated or actual.", "kind")]
    found = []
    if _actual(request):
        found += future_problem(request.value, act, "value")
    found += far_problems(request.value, act.today, "value")
    if _actual(request):
        found += _sailing_problems(subject, request)
        found += [answered(problem, request.accept) for problem in _voyage_problems(subject)]
    return found


def missing(request: DateRequest) -> list[Problem]:
    """The findings of a company's checks about this: warnings, questions and blocks."""
    return _voyage_problems(_subject(request, lock=False)) if _actual(request) else []


def _voyage_problems(subject: _Subject) -> list[Problem]:
    """A vessel carries goods by a voyage. Of several companies aboard the strictest counts."""
    bare = [one for one in subject.to_follow("on_board") if one.mode == Shipment.Mode.SEA and not one.voyage_id]
    if not bare or subject.call:
        return []
    companies = Company.objects.filter(pk__in=companies_aboard([one.pk for one in bare]))
    strength = strongest(list(companies.values_list("depart_without_voyage", flat=True)))
    what, otherwise = f"{bare[0]} departs without a voyage.", "record the departure anyway"
    return [finding(strength, what, "Choose one in its plan", otherwise)]


class RecordedAlready(Refused):
    """It happened on that very day: that is known."""


def _sailing_problems(subject: _Subject, request: DateRequest) -> list[Problem]:
    if _recorded(subject, request.milestone) == request.value:
        what = f"The {request.milestone} is recorded already, on {request.value:%-d %b %Y}."
        raise RecordedAlready(Problem(what, "milestone", "Say another day to correct it."))
    # A receipt proves that a shipment departed, and not when: a day before it may be said.
    proven = proven_by_receipt(subject.shipments, "proves_departure")
    for shipment in subject.those("arrival"):
        if shipment.departed_on and request.value < shipment.departed_on and shipment.pk not in proven:
            what = f"It departed on {shipment.departed_on:%-d %b %Y}."
            return [Problem("It cannot arrive before it departed.", "value", what)]
    for shipment in subject.those("on_board"):
        if shipment.arrived_on and request.value > shipment.arrived_on:
            what = f"It arrived on {shipment.arrived_on:%-d %b %Y}."
            return [Problem("It cannot depart after it arrived.", "value", what)]
    return []


def _recorded(subject: _Subject, milestone: str) -> date | None:
    """The day on which it happened already: of a call its actual statement, of a main leg its goods' day."""
    said = recorded(subject.call.pk, milestone) if subject.call else None
    if said:
        return said
    for event, fact, mark in EVENTS:
        those = [shipment for shipment in subject.those(event) if getattr(shipment, fact)]
        proven = proven_by_receipt(those, mark)
        for shipment in those:
            if shipment.pk not in proven:
                return getattr(shipment, fact)
    return None


def recorded(call: int, milestone: str) -> date | None:
    """The day of a departure from a call (id), or an arrival there, that is believed to be the actual one."""
    actual = newest_said("call").filter(call=call, milestone=milestone, kind=DateStatement.Kind.ACTUAL)
    return actual.values_list("value", flat=True).first()


def _happen(act: Act, history, subject: _Subject, request: DateRequest, moments: set[str]) -> None:
    for event in subject.events:
        if event == "arrival":
            sail.depart_first(act, history, subject.to_follow(event), moments)
        sail.follow_event(act, history, event, subject.to_follow(event), request.value, moments)


def follow_dates(act: Act, shipments: Iterable[Shipment], calls: Iterable[PortCall] = ()) -> None:
    """Bring calls, legs, dock dates, expectations and matters along with what is said now.

    `calls` are those of which something was said: their voyage is brought along even where nothing sails by it.
    """
    shipments = list(shipments)
    bring_along(dated=settle_dates(act, shipments, calls), shipments=[one.pk for one in shipments])


def settle_dates(act: Act, shipments: Iterable[Shipment], calls: Iterable[PortCall] = ()) -> list[int]:
    """The same for calls, legs and dock dates alone. Returns the instalments (ids) whose days moved: an action that
    goes on brings them along with its own."""
    shipments = {shipment.pk: shipment for shipment in shipments}
    voyages = {call.voyage_id for call in calls}
    planned, sailed_by = planned_legs(shipments.values(), act.today)
    voyages -= {one.call.voyage_id for one in sailed_by.values()}
    sailed_by = sailings(voyages, act.today) | sailed_by if voyages else sailed_by
    dates.take_over_calls(
        (one.call, one.arrival and one.arrival[0], one.departure and one.departure[0]) for one in sailed_by.values()
    )
    expected = [(shipments[key], legs, expected_legs(plan, act.today)) for key, (legs, plan) in planned.items()]
    moved = dates.take_over_dates(expected)
    dates.take_over_sailed(expected)
    sailed = {key: one for key, one in shipments.items() if one.departed_on or revalue.begun(planned[key][1])}
    revalue.value_anew(act, sailed, revalue.moments_of(sailed, planned, act.today))
    boxes = dates.take_over_own_docks(own_docks(planned, act.today))
    required_documents.refresh_days(list(shipments.values()))
    _announce_docks(act, moved)
    those = Q(container__shipment__in=moved) | Q(container__in=boxes) if boxes else Q(container__shipment__in=moved)
    return list(ShipmentLine.objects.filter(those).values_list("instalment", flat=True).distinct())


def _announce_docks(act: Act, moved: Sequence[Shipment]) -> None:
    if moved:
        announce(act, "dates_changed", lambda: sail.told_of(moved, _docks))


def _docks(shipment: Shipment) -> dict[str, date | None]:
    return {"expected_dock": shipment.expected_dock, "planned_dock": shipment.planned_dock}


def _words(subject: _Subject, request: DateRequest) -> str:
    by = f", said by {request.said.source}" if request.said else ""
    at = f" at {subject.call.port_id}" if subject.call else ""
    return f"{subject.name}: {request.kind} {request.milestone}{at} {request.value:%-d %b %Y}{by}"


def _links(subject: _Subject) -> list[tuple[str, int, int | None]]:
    links: list[tuple[str, int, int | None]] = [("shipment", shipment.pk, None) for shipment in subject.shipments]
    if subject.call:
        links.append(("voyage", subject.call.voyage_id, None))
    return links
