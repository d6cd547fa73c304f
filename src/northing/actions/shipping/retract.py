"""Take back a statement about a date; moves of goods that followed are undone, as long as nothing else has followed."""

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass

from django.db.models import Exists, OuterRef, Q, QuerySet

from northing.access.acts import Act
from northing.access.permissions import companies_of
from northing.actions.costing import ownership, revalue
from northing.actions.shipping import milestones, sail
from northing.actions.shipping.container_milestones import WORDS
from northing.activity.operations import Link, add_history, once
from northing.core.problems import Problem, Refused, refuse_if
from northing.positions import operations as positions
from northing.receiving.queries import EVENTS, proven
from northing.shipping import dates
from northing.shipping import operations as shipping
from northing.shipping.models import Container, DateStatement, Leg, PortCall, Shipment, ShipmentLine
from northing.shipping.queries import UNSETTLED, companies_aboard, planned_legs

MOST_NAMED = 6


@dataclass(frozen=True)
class TakeBackRequest:
    """A statement (id)."""

    statement: int


@dataclass(frozen=True)
class Unsaid:
    """The shipments, locked, and the calls whose dates are to be followed now."""

    shipments: Mapping[int, Shipment]
    calls: list[PortCall]


@once
def take_back(act: Act, request: TakeBackRequest) -> int:
    """No one believes the statement any more. Goods that departed, or arrived, by it alone have not; what became ours
    by that is given up in the books. Raises Refused where something has followed that would have to be undone first.
    """
    found = DateStatement.objects.select_for_update().filter(pk=request.statement, retracted=False)
    statements = list(found)
    if not statements:
        raise Refused(Problem("That is taken back already.", mend="Look again."))
    unsaid = unsay(act, statements)
    milestones.follow_dates(act, unsaid.shipments.values(), unsaid.calls)
    return request.statement


def unsay(act: Act, statements: Sequence[DateStatement]) -> Unsaid:
    """`take_back` inside a transaction: the person who calls it follows the dates of what it returns."""
    said = [one for one in statements if one.said_at != dates.IMPLIED]
    # What only follows goes with the last from which it follows, or by itself where it is what is meant.
    statements = [*said, *_implied_by(said)] if said else statements
    calls = list(PortCall.objects.filter(statements__in=statements).select_related("voyage").distinct())
    shipments = shipping.lock(_concerned(statements, calls))
    act.require("say_dates", *(companies_aboard(shipments) or companies_of(act.person)))
    dates.retract(statements)
    links: list[Link] = [("shipment", key, None) for key in shipments]
    links += [("voyage", key, None) for key in {call.voyage_id for call in calls}]
    history = add_history(act, "take_back", _words(statements), links)
    planned, _ = planned_legs(shipments.values(), act.today)
    for event in ("arrival", "on_board"):
        fact, source, target = sail.SAILS[event]
        unsaid = [one for one in shipments.values() if not sail.happened(event, planned[one.pk], act.today)]
        undone = _without_proof(event, [one for one in unsaid if getattr(one, fact)])
        if undone:
            refuse_if(_undoing_problems(event, undone))
            positions.move_all(history, target, source, UNSETTLED, [[one.pk for one in undone]])
            dates.mark_sailed(undone, fact, None)
    revalue.value_anew(act, shipments, revalue.moments_of(shipments, planned, act.today), give_up=True)
    return Unsaid(shipments, calls)


def _concerned(statements: Iterable[DateStatement], calls: Iterable[PortCall]) -> set[int]:
    """The shipments (ids) whose dates may follow from any of the statements."""
    sailed = Leg.objects.filter(load_call__voyage__in={call.voyage_id for call in calls})
    found = set(sailed.values_list("shipment", flat=True))
    found |= set(Leg.objects.filter(statements__in=statements).values_list("shipment", flat=True))
    return found | set(Container.objects.filter(statements__in=statements).values_list("shipment", flat=True))


def _implied_by(statements: Iterable[DateStatement]) -> QuerySet[DateStatement]:
    """The arrivals that no one spoke of, and that only followed from what these say of containers."""
    boxes = {one.container_id for one in statements if one.container_id and one.kind == DateStatement.Kind.ACTUAL}
    main = Leg.objects.filter(main=True, shipment__containers__in=boxes)
    gone = [one.pk for one in statements]
    others = DateStatement.objects.filter(kind="actual", retracted=False).exclude(pk__in=gone)
    of_leg = others.filter(container__shipment__legs=OuterRef("leg"))
    of_call = others.filter(container__shipment__legs__discharge_call=OuterRef("call"))
    implied = DateStatement.objects.filter(
        Q(leg__in=main) | Q(call__in=main.exclude(discharge_call=None).values("discharge_call")),
        milestone="arrival",
        said_at=dates.IMPLIED,
        retracted=False,
    )
    return implied.exclude(pk__in=gone).exclude(Exists(of_leg)).exclude(Exists(of_call))


def _without_proof(event: str, shipments: Sequence[Shipment]) -> list[Shipment]:
    """Those that no receipt proves to have departed, or arrived; the others did so by the day of their receipt."""
    fact, mark = next((fact, mark) for name, fact, mark in EVENTS if name == event)
    receipts = proven(shipments, mark)
    for shipment in shipments:
        if shipment.pk in receipts:
            dates.mark_sailed([shipment], fact, receipts[shipment.pk].occurred_on)
    return [shipment for shipment in shipments if shipment.pk not in receipts]


def _undoing_problems(event: str, undone: Iterable[Shipment]) -> list[Problem]:
    """Why goods cannot be where they were before: the dock has some of them, or they came that way with a file."""
    keys = [shipment.pk for shipment in undone]
    aboard = ShipmentLine.objects.filter(container__shipment__in=keys).order_by("container__shipment")
    found = []
    received = aboard.filter(accounted__gt=0).select_related("container__shipment").first()
    if received:
        what = f"The dock has received goods of {received.container.shipment} already."
        found.append(Problem(what, mend="Reverse the receipt first, or say the right day instead."))
    opened = aboard.filter(ownership.brought_in()).select_related("container__shipment").first()
    if opened and event == "on_board":
        what = f"{opened.container.shipment} was brought in as goods afloat."
        found.append(Problem(what, mend="Say the right day instead."))
    if event == "arrival":
        said = DateStatement.objects.filter(container__shipment__in=keys, kind="actual", retracted=False)
        for one in said.select_related("container").order_by("pk")[:1]:
            what = f"{one.container} was {WORDS[one.milestone]} on {one.value:%-d %b %Y}."
            found.append(Problem(what, mend="Take that back first."))
    return found


def _words(statements: Sequence[DateStatement]) -> str:
    said = "; ".join(str(one) for one in statements[:MOST_NAMED])
    more = f" and {len(statements) - MOST_NAMED} more" if len(statements) > MOST_NAMED else ""
    return f"Taken back: {said}{more}"
