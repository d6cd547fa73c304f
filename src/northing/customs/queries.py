"""Reads of customs: proofs of origin that count on a day, what offices are owed, what is released."""

from collections.abc import Iterable
from datetime import date
from decimal import Decimal

from django.db.models import Q, QuerySet

from northing.customs.models import CustomsEntry, OriginProof, Release
from northing.ledger.models import Account, DocumentKind, OpenItem


def proofs_of(shipment: int, company: int) -> QuerySet[OriginProof]:
    """The proofs of a shipment for goods of a company (ids) that stand."""
    return OriginProof.objects.filter(shipment=shipment, company=company, withdrawn_at=None).order_by("pk")


def proved_on(shipment: int, company: int, day: date) -> set[str]:
    """The names of the proofs that count on a day: dated by then, and not out of date."""
    counts = proofs_of(shipment, company).filter(Q(valid_until=None) | Q(valid_until__gte=day), dated__lte=day)
    return set(counts.values_list("name", flat=True))


def standing_entry(shipment: int, company: int) -> CustomsEntry | None:
    """The entry of a company for a shipment (ids) that stands."""
    found = CustomsEntry.objects.filter(shipment=shipment, company=company, reversed_by=None)
    return found.select_related("office").first()


def released_on(shipment: int, company: int) -> date | None:
    """The day on which customs released a company's goods of a shipment (ids)."""
    found = Release.objects.filter(shipment=shipment, company=company, withdrawn_at=None)
    return found.values_list("day", flat=True).first()


def released_of(shipments: Iterable[int]) -> set[tuple[int, int]]:
    """Which shipments are released for which companies (ids)."""
    found = Release.objects.filter(shipment__in=list(shipments), withdrawn_at=None)
    return set(found.values_list("shipment", "company"))


# A shipment, a company and an office (ids).
Whose = tuple[int, int, int]


def owed_to_offices(shipments: Iterable[int]) -> dict[Whose, dict[int, Decimal]]:
    """By shipment, company and office (ids), what is owed for each customs entry (id); below 0 it was paid too much."""
    entries = CustomsEntry.objects.filter(shipment__in=list(shipments))
    whose = {
        key: (shipment, company, office)
        for key, shipment, company, office in entries.values_list("pk", "shipment", "company", "office")
    }
    items = OpenItem.objects.filter(
        account=Account.CUSTOMS_PAYABLE, document_kind=DocumentKind.CUSTOMS_ENTRY, document__in=whose
    )
    found: dict[Whose, dict[int, Decimal]] = {}
    for document, amount in items.exclude(amount=0).order_by("document").values_list("document", "amount"):
        found.setdefault(whose[document], {})[document] = -amount
    return found
