"""A provider's own through its link: the shipments that it carries or forwards, and the bills expected of it."""

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from datetime import date

from django.db.models import Q, QuerySet

from northing.costing.models import Charge
from northing.masterdata.models import Party
from northing.shipping.models import DateStatement, Leg, Shipment

MOST = 100


@dataclass
class Carried:
    """A shipment that has not arrived, its containers, and what of its legs has not happened yet."""

    shipment: Shipment
    boxes: list[str]
    ends: list["End"]


@dataclass
class End:
    """The departure or arrival of a leg: where, and when it is expected."""

    leg: int
    milestone: str
    place: str
    day: date


def carried_by(provider: Party) -> list[Carried]:
    """The shipments that have not arrived, the next to leave first."""
    theirs = Q(forwarder=provider) | Q(voyage__carrier=provider)
    found = Shipment.objects.filter(theirs, arrived_on=None).select_related("voyage").order_by("expected_dock", "pk")
    found = found.prefetch_related("containers", "legs")
    shipments = list(found[:MOST])
    happened = _happened([leg for one in shipments for leg in one.legs.all()])
    return [Carried(one, [box.number for box in one.containers.all()], list(_ends(one, happened))) for one in shipments]


Happened = set[tuple[str, int, str]]


def _happened(legs: Sequence[Leg]) -> Happened:
    """What is recorded of legs and of the calls that they sail between: by which, its id and the milestone."""
    calls = {call for leg in legs for call in (leg.load_call_id, leg.discharge_call_id) if call}
    known = DateStatement.objects.filter(kind="actual", retracted=False)
    of_legs = known.filter(leg__in=[leg.pk for leg in legs]).values_list("leg", "milestone")
    of_calls = known.filter(call__in=calls).values_list("call", "milestone")
    return {("leg", *one) for one in of_legs} | {("call", *one) for one in of_calls}


def _ends(shipment: Shipment, happened: Happened) -> Iterator[End]:
    """From the last that happened on: what came before it is past, whether anybody said so or not."""
    ends, last = [], -1
    for leg in (leg for leg in shipment.legs.all() if leg.mode != Leg.Mode.CUSTOMS):
        for milestone, place, day, call in (
            ("departure", leg.origin, leg.expected_start, leg.load_call_id),
            ("arrival", leg.destination, leg.expected_end, leg.discharge_call_id),
        ):
            if {("leg", leg.pk, milestone), ("call", call, milestone)} & happened:
                last = len(ends)
            ends.append(End(leg.pk, milestone, place, day))
    yield from ends[last + 1 :]


def expected_of(provider: Party) -> QuerySet[Charge]:
    """The charges whose bill we expect of it, the oldest first."""
    found = Charge.objects.filter(payee=provider, closed_on=None).select_related("company")
    return found.prefetch_related("shipments").order_by("pk")[:MOST]
