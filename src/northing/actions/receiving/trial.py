"""A receipt tried and not saved: what would be wrong, and what stock would be before and after it."""

from collections.abc import Iterable
from dataclasses import dataclass
from decimal import Decimal

from django.db import transaction
from django.db.models import Sum

from northing.access.acts import Act
from northing.actions.receiving.receive import ReceiveRequest, take_in
from northing.activity.operations import once
from northing.inventory.models import OnHand
from northing.masterdata.models import Item, Site
from northing.receiving.models import ReceiptLine
from northing.reports.line_standings import line_standings
from northing.worklist.models import LineSummary

ZERO = Decimal(0)
# Items that are shown; a receipt of more is tried all the same.
MOST = 200


@dataclass(frozen=True)
class StockChange:
    """Units of an item at the site, in store and held, before and after."""

    item: Item
    store: tuple[Decimal, Decimal]
    held: tuple[Decimal, Decimal]


@dataclass(frozen=True)
class Trial:
    """The effect of a receipt: warnings, stock by item, and where its order lines would stand."""

    warnings: list[str]
    stock: list[StockChange]
    lines: list[LineSummary]


def try_receipt(act: Act, request: ReceiveRequest) -> Trial:
    """Take the goods in, look, and let go of it all. Raises Refused as the receipt itself would."""
    # Without the key: it is that of the receipt.
    return _tried(act.inner(), request)


@once
def _tried(act: Act, request: ReceiveRequest) -> Trial:
    site = Site.objects.select_related("company").get(pk=request.site)
    act.require_at("receive", site.company_id, site.pk)
    with transaction.atomic():
        receipt = take_in(act, request, site)
        lines = ReceiptLine.objects.filter(receipt=receipt)
        items = {item.pk: item for item in Item.objects.filter(pk__in=lines.values("item")).order_by("code")[:MOST]}
        after = _stock(site, items)
        lines = line_standings(receipt)
        transaction.set_rollback(True)
    return Trial(receipt.warnings, _changes(items, _stock(site, items), after), lines)


def _stock(site: Site, items: Iterable[int]) -> dict[tuple[int, str], Decimal]:
    """Units of items (ids) by state at the site."""
    rows = OnHand.objects.filter(bin__site=site, quantity__gt=0, layer__item__in=list(items))
    sums = rows.values_list("layer__item", "status").order_by().annotate(total=Sum("quantity"))
    return {(item, status): total for item, status, total in sums}


def _changes(items: dict[int, Item], before: dict, after: dict) -> list[StockChange]:
    return [
        StockChange(
            item,
            *((before.get((key, status), ZERO), after.get((key, status), ZERO)) for status in ("in_store", "held")),
        )
        for key, item in items.items()
    ]
