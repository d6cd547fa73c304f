"""Proofs by receipts, and receipts under one note."""

from collections.abc import Collection, Sequence

from northing.receiving.models import Receipt
from northing.shipping.models import Shipment

# An event, the fact of the shipment that it is, and the mark of the receipt by which alone it is known.
EVENTS = (("on_board", "departed_on", "proves_departure"), ("arrival", "arrived_on", "proves_arrival"))


def proven(shipments: Sequence[Shipment], mark: str) -> dict[int, Receipt]:
    """The standing receipt by which alone it is known that a shipment (id) departed, or arrived."""
    if not shipments:
        return {}
    found = Receipt.objects.filter(container__shipment__in=shipments, reversed_by=None, **{mark: True})
    return {receipt.container.shipment_id: receipt for receipt in found.select_related("container")}


def same_note(
    company: int, suppliers: Collection[int], note: str, container: int | None, before: int | None = None
) -> Receipt | None:
    """The newest standing receipt of a company (id) under the same delivery note of one of the suppliers (ids);
    `before` a receipt (id).

    Further goods out of the same container come under its note; they are no repeat.
    """
    found = Receipt.objects.filter(company=company, delivery_note__iexact=note.strip(), reversed_by=None)
    found = found.exclude(container=container) if container else found
    found = found.filter(pk__lt=before) if before else found
    theirs = found.filter(lines__instalment__line__order__supplier__in=list(suppliers))
    return theirs.order_by("-pk").first()


def noted_before(receipt: Receipt) -> Receipt | None:
    """The receipt before this one that had its note."""
    suppliers = set(receipt.lines.values_list("instalment__line__order__supplier", flat=True))
    return same_note(receipt.company_id, suppliers, receipt.delivery_note, receipt.container_id, receipt.pk)
