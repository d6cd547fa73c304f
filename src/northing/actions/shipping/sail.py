"""Sail: what happens to the goods of shipments when they depart, arrive or are picked up."""

from collections.abc import Callable, Mapping, Sequence
from datetime import date

from northing.access.acts import Act
from northing.actions.costing import ownership
from northing.activity.operations import Link, add_history
from northing.core.costing.ownership import moments_through
from northing.core.planning.passage import expected_legs
from northing.messaging.webhooks import Told, announce
from northing.positions import operations as positions
from northing.shipping import dates
from northing.shipping.models import Leg, Shipment, ShipmentLine
from northing.shipping.queries import UNSETTLED, Planned, companies_of_shipments, first_carried, planned_legs

# What happens, the fact of the shipment that it is, and from where to where its goods go with it.
SAILS = {"on_board": ("departed_on", "packed", "under_way"), "arrival": ("arrived_on", "under_way", "landed")}
# Under which kinds other programs are told of them.
TOLD = {"on_board": "departed", "arrival": "arrived"}


def event_of(leg: Leg, legs: list[Leg], milestone: str) -> str | None:
    """What happens to the goods: pickup, on board, arrival; None for a leg that changes nothing.

    They are on board from the first leg that a vessel carries, and landed at the end of the main one.
    """
    first = first_carried(legs)
    if milestone == "arrival":
        return "arrival" if leg.main else None
    if first and leg.pk == first.pk:
        return "on_board"
    return "pickup" if leg.number == 1 else None


def happened(event: str, planned: Planned, today: date) -> bool:
    """Whether someone said that it departed, or arrived, by what is believed now."""
    legs, plan = planned
    days = expected_legs(plan, today)
    if event == "arrival":
        return any(day.ended for leg, day in zip(legs, days, strict=True) if leg.main)
    first = first_carried(legs)
    return any(day.started for leg, day in zip(legs, days, strict=True) if leg is first)


def depart_first(act: Act, history, shipments: Sequence[Shipment], moments: set[str]) -> None:
    """Record the departure of a shipment that arrives without one: on the day by which it must have left."""
    left = [shipment for shipment in shipments if not shipment.departed_on]
    planned, _ = planned_legs(left, act.today)
    by_day: dict[date, list[Shipment]] = {}
    for shipment in left:
        legs, plan = planned[shipment.pk]
        place = legs.index(first_carried(legs))
        by_day.setdefault(expected_legs(plan, act.today)[place].start, []).append(shipment)
    for day, some in sorted(by_day.items()):
        names, links = named(some)
        add_history(
            act, "implied", f"{names}: departed by {day:%-d %b %Y}, as it arrived; no one said when", links, day
        )
        follow_event(act, history, "on_board", some, day, moments)


def named(shipments: Sequence[Shipment]) -> tuple[str, list[Link]]:
    """Shipments as the story names them, and its links to them."""
    names = ", ".join(str(shipment) for shipment in shipments[:6]) + (" and more" if len(shipments) > 6 else "")
    return names, [("shipment", shipment.pk, None) for shipment in shipments]


def follow_event(act: Act, history, event: str, shipments: Sequence[Shipment], day: date, moments: set[str]) -> None:
    """The goods of shipments follow what happened: they are in another place, and may be ours with that."""
    keys = [shipment.pk for shipment in shipments]
    if not keys:
        return
    if event in SAILS:
        fact, source, target = SAILS[event]
        dates.mark_sailed(shipments, fact, day)
        positions.move_all(history, source, target, UNSETTLED, [keys])
        announce(act, TOLD[event], lambda: told_of(shipments, lambda one: {"on": day}))
    if moments.isdisjoint(moments_through(event)):
        return
    shipment_lines = ShipmentLine.objects.filter(container__shipment__in=keys)
    ownership.own_by(act, history, event, shipment_lines, day, str(shipments[0].voyage or shipments[0]))


def told_of(shipments: Sequence[Shipment], days: Callable[[Shipment], Mapping[str, date | None]]) -> Told:
    """Return the webhooks' content about shipments, with the companies that have goods in each."""
    aboard = companies_of_shipments([shipment.pk for shipment in shipments])
    return [
        (
            {"shipment": one.reference, "id": one.pk}
            | {name: day.isoformat() if day else None for name, day in days(one).items()},
            aboard.get(one.pk, ()),
        )
        for one in shipments
    ]
