"""Likely subjects of an event that fits nothing, the likeliest first."""

from datetime import date, timedelta
from difflib import SequenceMatcher

from django.db.models import Q

from northing.access.models import Person
from northing.shipping.models import CarrierEvent, Container, PortCall
from northing.shipping.queries import followed, visible_shipments

MOST = 100
AROUND = timedelta(days=120)


def likely_calls(event: CarrierEvent) -> list[PortCall]:
    """Calls around the day that is said: at that port first, then of that vessel, then the nearest in days; `named`."""
    side = "planned_arrival" if event.code == "ARRI" else "planned_departure"
    around = {f"{side}__range": (event.day - AROUND, event.day + AROUND)}
    calls = PortCall.objects.filter(omitted=False, voyage__blanked_at=None, **around).select_related("voyage")
    found = []
    for call in calls:
        planned = getattr(call, side)
        call.named = f"{call.voyage} at {call.port_id}, planned {planned:%-d %b %Y}"
        away = abs((planned - event.day).days)
        found.append((call.port_id != event.port, call.voyage.imo != event.imo, away, call.pk, call))
    return [call for *_, call in sorted(found)[:MOST]]


def likely_boxes(event: CarrierEvent, person: Person, today: date) -> list[Container]:
    """Containers on their way, or arrived not long ago, that the person may see: the most like in number; `named`."""
    matcher = SequenceMatcher(autojunk=False)
    matcher.set_seq2(event.container)
    found = []
    aboard = Container.objects.filter(Q(shipment__in=followed(today)) & Q(shipment__in=visible_shipments(person)))
    for box in aboard.select_related("shipment"):
        matcher.set_seq1(box.number)
        box.named = f"{box.number} of {box.shipment}"
        found.append((-matcher.ratio(), -box.pk, box))
    return [box for *_, box in sorted(found)[:MOST]]
