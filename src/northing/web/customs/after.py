"""After customs entries: the amount owed to offices for each, the payments, and the release."""

from collections.abc import Sequence
from dataclasses import dataclass
from decimal import Decimal

from northing.customs.models import CustomsEntry, OfficePayment, Release
from northing.customs.queries import owed_on, releases_by_entry, settled_with

ZERO = Decimal(0)


@dataclass(frozen=True)
class Entered:
    """An entry, and what is owed for its goods: below 0 the office owes us. `pays` says whether it is settled here."""

    entry: CustomsEntry
    owed: Decimal
    released: Release | None
    pays: bool

    @property
    def owed_back(self) -> Decimal:
        return -self.owed

    @property
    def stands(self) -> bool:
        return self.entry.reversed_by_id is None


def entered_rows(entries: Sequence[CustomsEntry]) -> list[Entered]:
    """Entries with what is owed and released, in their order; of those settled together the newest that stands pays."""
    together = settled_with([one.pk for one in entries])
    owed = owed_on({key for keys in together.values() for key in keys})
    standing = {one.pk for one in entries if one.reversed_by_id is None}
    releases = releases_by_entry(together)
    found = []
    for one in entries:
        keys = together[one.pk]
        due = sum((owed.get(key, ZERO) for key in keys), ZERO)
        pays = bool(due) and one.pk == max(keys & standing, default=one.pk)
        found.append(Entered(one, due, releases.get(one.pk), pays))
    return found


def payments_of(entries: Sequence[CustomsEntry]) -> list[OfficePayment]:
    """Payments for entries that stand."""
    paid = OfficePayment.objects.filter(parts__customs_entry__in=entries, reversed_by=None)
    return list(paid.select_related("office").distinct().order_by("pk"))
