"""Which rule of inspection counts for goods of an item from a supplier."""

from collections.abc import Collection
from dataclasses import dataclass, field
from typing import Protocol

from django.db.models import Q

from northing.masterdata.models import Characteristic, InspectionRule


class Known(Protocol):
    """What of an item says which rule counts: the item, or a row that tells as much."""

    @property
    def pk(self) -> int: ...

    @property
    def group(self) -> str: ...

    @property
    def inspected(self) -> bool: ...


@dataclass(frozen=True)
class Rules:
    """The rules of inspection that may concern some items; read once for many."""

    rules: tuple[InspectionRule, ...] = ()
    _found: dict[tuple[int, int | None], InspectionRule | None] = field(default_factory=dict)

    def of(self, item: Known, supplier: int | None) -> InspectionRule | None:
        """The narrowest rule for goods of the item from the supplier (id); None where there is none."""
        key = item.pk, supplier
        if key not in self._found:
            fits = [one for one in self.rules if _fits(one, item, supplier)]
            self._found[key] = max(fits, key=lambda one: one.narrow, default=None)
        return self._found[key]

    def holds(self, item: Known, supplier: int | None) -> bool:
        """Whether such goods are held until they are inspected."""
        rule = self.of(item, supplier)
        return item.inspected if rule is None else rule.how != InspectionRule.How.NONE


def _fits(rule: InspectionRule, item: Known, supplier: int | None) -> bool:
    return rule.item_id in (None, item.pk) and rule.group in ("", item.group) and rule.supplier_id in (None, supplier)


def rules_of(items: Collection[Known]) -> Rules:
    """The rules that may concern items, whoever supplies them."""
    of_items = Q(item=None) | Q(item__in={item.pk for item in items})
    found = InspectionRule.objects.filter(of_items, group__in={"", *(item.group for item in items)})
    return Rules(tuple(found.select_related("item", "supplier")))


def characteristics_of(item: Known) -> list[Characteristic]:
    """What is looked at of an item: its own characteristics, and those of its group that it has not itself."""
    rows = Characteristic.objects.filter(Q(item=item.pk) | Q(item=None, group__in={"", item.group}))
    own = sorted(rows, key=lambda one: (one.item_id is None, not one.group, one.pk))
    found: dict[str, Characteristic] = {}
    for one in own:
        found.setdefault(one.name.casefold(), one)
    return sorted(found.values(), key=lambda one: one.pk)
