"""Reads of customs: the proofs of origin that count on a day."""

from datetime import date

from django.db.models import Q, QuerySet

from northing.customs.models import OriginProof


def proofs_of(shipment: int, company: int) -> QuerySet[OriginProof]:
    """The proofs of a shipment for goods of a company (ids) that stand."""
    return OriginProof.objects.filter(shipment=shipment, company=company, withdrawn_at=None).order_by("pk")


def proved_on(shipment: int, company: int, day: date) -> set[str]:
    """The names of the proofs that count on a day: dated by then, and not out of date."""
    counts = proofs_of(shipment, company).filter(Q(valid_until=None) | Q(valid_until__gte=day), dated__lte=day)
    return set(counts.values_list("name", flat=True))
