"""What duty an item has in each territory of our companies, and why."""

from collections.abc import Collection
from dataclasses import dataclass
from datetime import date
from decimal import Decimal

from northing.masterdata.models import Company, Item
from northing.masterdata.tariffs import Tariff, duty_words, reasons


@dataclass(frozen=True)
class ItemDuty:
    """The duty of an item in a territory on a day, in words, and why it is that."""

    territory: str
    words: str
    why: list[str]


def item_duties(item: Item, companies: Collection[int], day: date) -> list[ItemDuty]:
    """A row for each territory of companies (ids): of goods from any supplier, without a proof of origin."""
    territories = Company.objects.filter(pk__in=companies).values_list("country", flat=True)
    rows = []
    for territory in sorted(set(territories)):
        # For words no rate is needed.
        found = Tariff(territory, day, lambda _: Decimal(1)).of(item, None)
        rows.append(ItemDuty(territory, duty_words(item, found), reasons(item, found)))
    return rows
