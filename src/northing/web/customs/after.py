"""After customs entries: the amount owed to offices for each, the payments, and the release."""

from collections.abc import Sequence
from dataclasses import dataclass
from decimal import Decimal

from northing.customs.models import CustomsEntry, OfficePayment, Release
from northing.customs.queries import owed_on, same_goods

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
    """Entries, with their releases read, in their order."""
    same = same_goods([one.pk for one in entries])
    owed = owed_on({key for keys in same.values() for key in keys})
    standing = {one.pk for one in entries if one.reversed_by_id is None}
    free: dict[int, Release] = {}
    for release in Release.objects.filter(customs_entry__in=list(same), withdrawn_at=None).order_by("pk"):
        free[release.customs_entry_id] = release
    found = []
    for one in entries:
        keys = same[one.pk]
        due = sum((owed.get(key, ZERO) for key in keys), ZERO)
        pays = bool(due) and (one.pk in standing or not keys & standing)
        released = next((free[key] for key in sorted(keys, reverse=True) if key in free), None)
        found.append(Entered(one, due, released, pays))
    return found


def payments_of(entries: Sequence[CustomsEntry]) -> list[OfficePayment]:
    """Payments for entries that stand."""
    paid = OfficePayment.objects.filter(parts__customs_entry__in=entries, reversed_by=None)
    return list(paid.select_related("office").distinct().order_by("pk"))
