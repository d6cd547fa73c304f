"""Items, packs and agreements of many lines at once: read in as many queries for many lines as for one."""

from collections import defaultdict
from collections.abc import Iterable
from datetime import date
from decimal import Decimal

from django.db.models.functions import Upper

from northing.core.confirmations.agreement import Offer, standing
from northing.core.problems import Problem, Refused
from northing.masterdata.models import Agreement, Item, Pack, Party


class Catalogue:
    """Items asked for by code, GTIN or id, and the suppliers' agreements about them."""

    def __init__(
        self,
        texts: Iterable[str] = (),
        items: Iterable[int] = (),
        suppliers: Iterable[int] = (),
        known: Iterable[Item] = (),
    ):
        self._items: dict[int, Item] = {item.pk: item for item in known}
        self._by_code: dict[str, Item] = {}
        self._by_gtin: dict[str, Pack] = {}
        self._packs: dict[int, dict[str, Decimal]] = defaultdict(dict)
        self._unpacked: set[int] = set()
        self._steps: dict[tuple[int, int], list[Agreement]] = defaultdict(list)
        self._asked: set[str] = set()
        self._suppliers: set[int] = set()
        self.learn(texts, items, suppliers)

    def learn(self, texts: Iterable[str] = (), items: Iterable[int] = (), suppliers: Iterable[int] = ()) -> None:
        """Read what is asked for and not known yet."""
        wanted = {text.strip() for text in texts} - self._asked
        self._asked |= wanted
        gtins = {form for text in wanted if text.isascii() and text.isdigit() for form in (text, text.zfill(14))}
        scanned = list(Pack.objects.filter(gtin__in=gtins)) if gtins else []
        self._by_gtin |= {pack.gtin: pack for pack in scanned}
        keys = ({pack.item_id for pack in scanned} | set(items)) - set(self._items)
        codes = {text.upper() for text in wanted} - set(self._by_code)
        found = list(Item.objects.annotate(upper=Upper("code")).filter(upper__in=codes)) if codes else []
        found += Item.objects.filter(pk__in=keys - {item.pk for item in found}) if keys else []
        new = {item.pk: item for item in found if item.pk not in self._items}
        self._items |= new
        self._by_code |= {item.code.upper(): item for item in found}
        more = set(suppliers) - self._suppliers
        if new:
            self._read_steps(self._suppliers, new)
        if more and self._items:
            self._read_steps(more, self._items)
        self._suppliers |= more

    def _read_steps(self, suppliers: Iterable[int], items: Iterable[int]) -> None:
        suppliers = list(suppliers)
        for step in Agreement.objects.filter(supplier__in=suppliers, item__in=list(items)) if suppliers else ():
            self._steps[step.supplier_id, step.item_id].append(step)

    def find(self, text: str) -> tuple[Item, Pack | None]:
        """The item of a code, or the item and packaging level of a GTIN. Raises Refused when unknown."""
        text = text.strip()
        pack = self._by_gtin.get(text.zfill(14)) or self._by_gtin.get(text) if text.isdigit() else None
        if pack:
            return self._items[pack.item_id], pack
        item = self._by_code.get(text.upper())
        if item is None:
            what = f"There is no item with the code or GTIN {text!r}."
            raise Refused(Problem(what, "item", "Check it, or find the item by name."))
        return item, None

    def packs(self, item: Item) -> dict[str, Decimal]:
        """Base units in each pack of the item, by the pack's name; its unit is one of them. Read when first wanted."""
        unread = self._items.keys() - self._unpacked
        for pack in Pack.objects.filter(item__in=unread) if unread else ():
            self._packs[pack.item_id][pack.name] = pack.factor
        self._unpacked |= unread
        return self._packs[item.pk] | {item.unit: Decimal(1)}

    def agreement(self, supplier: Party, item: int, day: date, quantity: Decimal) -> Agreement | None:
        """The supplier's price of the item on that day, in this quantity, in its own currency."""
        steps = [step for step in self._steps[supplier.pk, item] if step.currency == supplier.currency]
        return standing(steps, day, quantity)


def offer_of(agreement: Agreement, supplier: Party, factor: Decimal) -> Offer:
    """The agreement as the core asks for it, its price for a pack of `factor` units.

    Never the other way round: a pack's price divided by its units is often no exact number.
    """
    return Offer(
        agreement.price * factor,
        agreement.minimum,
        agreement.multiple,
        agreement.lead_days,
        supplier.passage_days,
        supplier.price_tolerance,
    )
