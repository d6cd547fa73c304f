"""What receipts prove."""

from collections.abc import Sequence

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
