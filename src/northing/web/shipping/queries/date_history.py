"""Statements about dates, and whether each is believed."""

from django.db.models import Q, QuerySet

from northing.shipping.models import DateStatement, Shipment, Voyage
from northing.shipping.queries import believed_of

# How much of it is shown; what is believed always.
SHOWN = 30


def said_of_shipment(record: Shipment) -> list[DateStatement]:
    """Statements about the shipment's dates, its voyages' and its containers', the newest first."""
    legs = record.legs.exclude(load_call=None)
    about = Q(leg__shipment=record) | Q(milestone="departure", call__in=legs.values("load_call"))
    about |= Q(milestone="arrival", call__in=legs.values("discharge_call")) | Q(container__shipment=record)
    return _weighed(DateStatement.objects.filter(about))


def said_of_voyage(voyage: Voyage) -> list[DateStatement]:
    """Statements about the voyage's calls, the newest first."""
    return _weighed(DateStatement.objects.filter(call__voyage=voyage))


def _weighed(said: QuerySet[DateStatement]) -> list[DateStatement]:
    believed = believed_of(said)
    last = said.order_by("-said_at", "-pk").values_list("pk", flat=True)[:SHOWN]
    shown = DateStatement.objects.filter(pk__in={*believed, *last}).order_by("-said_at", "-pk")
    rows = list(shown.select_related("call__voyage", "call__port", "leg", "container"))
    for row in rows:
        row.believed = row.pk in believed
    return rows
