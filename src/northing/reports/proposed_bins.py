"""Where goods that come are best put: beside the same goods."""

from collections.abc import Collection
from decimal import Decimal

from django.db.models import Sum

from northing.inventory.models import OnHand
from northing.masterdata.models import Bin, Site


def proposed_bins(site: Site, items: Collection[int]) -> dict[int, int]:
    """By item (id) the store bin (id) of the site in which most of it lies; items of which nothing lies have none."""
    rows = OnHand.objects.filter(
        bin__site=site, bin__purpose=Bin.Purpose.STORE, status="in_store", quantity__gt=0, layer__item__in=items
    )
    found: dict[int, tuple[Decimal, int]] = {}
    for item, bin, units in rows.values_list("layer__item", "bin").order_by("bin").annotate(total=Sum("quantity")):
        if item not in found or units > found[item][0]:
            found[item] = (units, bin)
    return {item: bin for item, (_, bin) in found.items()}
