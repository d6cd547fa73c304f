"""Goods that lie in a bin, and where they lie."""

from northing.actions.receiving.receive import ReceiveRequest, ReceiveRow, receive
from northing.inventory.models import OnHand
from northing.ledger.models import CostLayer
from northing.masterdata.models import Bin
from tests.worlds import TODAY, D


def bin_of(code: str) -> Bin:
    """The bin of that code; of the New Zealand site where both have one."""
    return Bin.objects.filter(code=code).order_by("site__code").last()


def at_dock(world, units: int, *, item: str = "A", bin: Bin | None = None, **kept) -> CostLayer:
    """So many units of an item came unpacked, and lie in a bin; the dock's, unless another is said."""
    part = world.sent_order({item: D(units)}).lines.get().instalments.get()
    where = (bin or bin_of("DOCK")).pk
    rows = (ReceiveRow(None, D(units), instalment=part.pk, bin=where, **kept),)
    made = receive(world.act("dock"), ReceiveRequest(None, world.site.pk, f"DN-{part.pk}", TODAY, rows))
    return CostLayer.objects.get(receipt_line__receipt=made)


def lies(layer: CostLayer) -> dict[tuple[str, str], int]:
    """By bin and state: how many units of the layer lie there."""
    rows = OnHand.objects.filter(layer=layer, quantity__gt=0)
    return {(code, status): int(units) for code, status, units in rows.values_list("bin__code", "status", "quantity")}
