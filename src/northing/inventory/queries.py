"""Reads of what lies where."""

from collections import defaultdict
from collections.abc import Iterable
from decimal import Decimal

from django.db.models import Count, F, Q, QuerySet, Sum
from django.db.models.functions import Coalesce

from northing.core.inventory.bins import Goods, Shelf
from northing.inventory.models import OnHand, SerialNumber, StockMovement
from northing.ledger.models import CostLayer
from northing.ledger.queries import CAME
from northing.masterdata.models import Bin

ZERO = Decimal(0)


def lying(rows: QuerySet[OnHand]) -> QuerySet[OnHand]:
    """Goods in bins with the records that are told of them: item, company, site, and the receipt they came by."""
    return rows.select_related("layer__item", "layer__company", "bin__site", "layer__receipt_line__receipt")


def shelves_of(bins: Iterable[Bin]) -> dict[int, Shelf]:
    """By id: the bins with their rules and all that lies in them."""
    found = {one.pk: one for one in bins}
    lies: dict[int, list[Goods]] = defaultdict(list)
    rows = OnHand.objects.filter(bin__in=found, quantity__gt=0).order_by()
    for bin, item, lot, units in rows.values_list("bin", "layer__item__code", "layer__lot").annotate(
        total=Sum("quantity")
    ):
        lies[bin].append(Goods(item, units, lot))
    homes = dict(Bin.objects.filter(pk__in=found, home_of__isnull=False).values_list("pk", "home_of__code"))
    return {
        key: Shelf(
            one.code,
            key,
            one.zone,
            one.blocked,
            one.one_item,
            one.one_lot,
            one.most_units,
            homes.get(key, ""),
            lies[key],
        )
        for key, one in found.items()
    }


def stock_faults() -> list[str]:
    """Bins that hold otherwise than their movements say, and layers that lie otherwise than they are."""
    moved: dict[tuple, Decimal] = {}
    for side, sign in (("target", 1), ("source", -1)):
        rows = StockMovement.objects.filter(**{f"{side}__isnull": False}).order_by()
        for *key, total in rows.values_list("layer", side, f"{side}_status").annotate(total=Sum("quantity")):
            moved[tuple(key)] = moved.get(tuple(key), ZERO) + sign * total
    kept = {tuple(row[:3]): row[3] for row in OnHand.objects.values_list("layer", "bin", "status", "quantity")}
    faults = [
        f"layer {key[0]} in bin {key[1]}, {key[2]}: {kept.get(key, ZERO)}, movements say {moved.get(key, ZERO)}"
        for key in sorted({*moved, *kept})
        if moved.get(key, ZERO) != kept.get(key, ZERO)
    ]
    lies = CostLayer.objects.filter(CAME).annotate(lies=Coalesce(Sum("on_hand__quantity"), ZERO))
    off = lies.filter(~Q(lies=F("received") - F("gone")))
    faults += _serial_faults(kept)
    return faults + [f"layer {layer.pk}: {layer.remaining} left, {layer.lies} in bins" for layer in off]


def _serial_faults(kept: dict[tuple, Decimal]) -> list[str]:
    """Places of numbered units that hold another number of units than of serial numbers."""
    rows = SerialNumber.objects.filter(bin__isnull=False).values_list("layer", "bin", "status").order_by()
    counted = {tuple(row[:3]): row[3] for row in rows.annotate(numbers=Count("pk"))}
    layers = set(SerialNumber.objects.values_list("layer", flat=True))
    return [
        f"layer {key[0]} in bin {key[1]}, {key[2]}: {kept.get(key, ZERO)} units, {counted.get(key, 0)} serial numbers"
        for key in sorted({*counted, *(key for key in kept if key[0] in layers)})
        if kept.get(key, ZERO) != counted.get(key, 0)
    ]
