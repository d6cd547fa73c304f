"""What a provider sees through its link: what it carries or forwards, and its own estimates."""

from dataclasses import dataclass

from django.db.models import Q, QuerySet

from northing.costing.models import Charge
from northing.masterdata.models import Party
from northing.shipping.models import Leg, Shipment

MOST = 100


@dataclass
class Carried:
    """A shipment that has not arrived, its containers, and its legs."""

    shipment: Shipment
    boxes: list[str]
    legs: list[Leg]


def carried_by(provider: Party) -> list[Carried]:
    """The shipments that have not arrived, the next to leave first."""
    theirs = Q(forwarder=provider) | Q(voyage__carrier=provider)
    found = Shipment.objects.filter(theirs, arrived_on=None).select_related("voyage").order_by("expected_dock", "pk")
    found = found.prefetch_related("containers", "legs")
    return [Carried(one, [box.number for box in one.containers.all()], list(one.legs.all())) for one in found[:MOST]]


def expected_of(provider: Party) -> QuerySet[Charge]:
    """The charges whose bill we expect of it, the oldest first."""
    found = Charge.objects.filter(payee=provider, closed_on=None).select_related("company")
    return found.prefetch_related("shipments").order_by("pk")[:MOST]
