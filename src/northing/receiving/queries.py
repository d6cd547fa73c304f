"""Proofs by receipts, and receipts under one note."""

from collections.abc import Collection, Sequence

from northing.receiving.models import Receipt, ReceiptLine
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

    Further goods of the same shipment come under its note; they are no repeat.
    """
    found = Receipt.objects.filter(company=company, delivery_note__iexact=note.strip(), reversed_by=None)
    found = found.exclude(container__shipment__containers=container) if container else found
    found = found.filter(pk__lt=before) if before else found
    theirs = found.filter(lines__instalment__line__order__supplier__in=list(suppliers))
    return theirs.order_by("-pk").first()


def noted_before(receipt: Receipt) -> Receipt | None:
    """The receipt before this one that had its note."""
    suppliers = set(receipt.lines.values_list("instalment__line__order__supplier", flat=True))
    return same_note(receipt.company_id, suppliers, receipt.delivery_note, receipt.container_id, receipt.pk)


def received_pallets(ssccs: Collection[str]) -> list[ReceiptLine]:
    """A line of a standing receipt for each of these pallets that was received; with its receipt and who took it in."""
    if not ssccs:
        return []
    lines = ReceiptLine.objects.filter(sscc__in=list(ssccs), quantity__gt=0, receipt__reversed_by=None)
    lines = lines.select_related("receipt__received_by").order_by("sscc", "pk").distinct("sscc")
    return list(lines)


def pallets_of(receipt: int) -> list[str]:
    """The SSCCs of the pallets of a receipt (id), in the order of its lines."""
    lines = ReceiptLine.objects.filter(receipt=receipt).exclude(sscc="").order_by("pk")
    return list(dict.fromkeys(lines.values_list("sscc", flat=True)))
