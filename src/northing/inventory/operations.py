"""Writes of what lies where."""

from decimal import Decimal

from django.db.models import F

from northing.core.problems import Problem, Refused
from northing.inventory.models import OnHand
from northing.ledger.models import CostLayer


def put_on_hand(layer: CostLayer, bin_id: int, status: str, quantity: Decimal) -> None:
    """Add units of a layer to a bin; a negative quantity takes them out."""
    row, _ = OnHand.objects.get_or_create(layer=layer, bin_id=bin_id, status=status, defaults={"quantity": Decimal(0)})
    OnHand.objects.filter(pk=row.pk).update(quantity=F("quantity") + quantity)


def take_off_hand(layer: CostLayer, status: str, quantity: Decimal) -> int:
    """Take units of a status from the layer's bins, in order. Returns the bin of the last one taken."""
    left, last = quantity, 0
    for row in OnHand.objects.select_for_update().filter(layer=layer, status=status, quantity__gt=0).order_by("id"):
        part = min(left, row.quantity)
        OnHand.objects.filter(pk=row.pk).update(quantity=F("quantity") - part)
        left, last = left - part, row.bin_id
        if not left:
            return last
    words = status.replace("_", " ")
    raise Refused(Problem(f"Only {(quantity - left).normalize():f} units of this layer are {words}.", "quantity"))
