"""Warnings about goods that come: how long they keep, their lot, and whose they are."""

from collections.abc import Sequence
from datetime import date
from decimal import Decimal
from typing import Protocol

from django.db.models import Sum

from northing.actions.receiving.kept import short_lived
from northing.actions.receiving.request import ReceiveRow
from northing.actions.receiving.scans import Context, Goods
from northing.core.money.exact import plain
from northing.core.problems import Problem, Strength
from northing.inventory.models import OnHand, Status
from northing.masterdata.models import Item, Site
from northing.orders.models import Instalment

APART = {Status.REJECTED: "were rejected", Status.HELD: "are held"}


class Coming(Protocol):
    """Goods that come: which row says it, of which item."""

    row: ReceiveRow

    @property
    def item(self) -> Item: ...

    @property
    def inspected(self) -> bool: ...


def lot_problems(site: Site, coming: Sequence[Coming], *, accept: bool) -> list[Problem]:
    """Lots of which units lie apart in the company. Rejected ones of an item that is inspected are asked about."""
    apart = _apart(site, {(one.item.pk, one.row.lot.strip()) for one in coming if one.row.lot.strip()})
    found = []
    for one in coming:
        for status, units in apart.get((one.item.pk, one.row.lot.strip()), []):
            asks = status == Status.REJECTED and one.inspected and not accept
            strength = Strength.ASK if asks else Strength.WARN
            mend = "Send it back, or receive it." if asks else ""
            found.append(Problem(_of_lot(one.item, one.row.lot, status, units), f"lot-{one.row.key}", mend, strength))
    return found


def _of_lot(item: Item, lot: str, status: str, units: Decimal) -> str:
    return f"Lot {lot.strip()} of {item.code}: {plain(units)} {item.unit} of it {APART[Status(status)]}."


def _apart(site: Site, lots: set[tuple[int, str]]) -> dict[tuple[int, str], list[tuple[str, Decimal]]]:
    """By item (id) and lot: the states in which units of it lie apart, and how many."""
    if not lots:
        return {}
    of = {"layer__company": site.company_id, "layer__item__in": {item for item, _ in lots}}
    there = OnHand.objects.filter(status__in=list(APART), quantity__gt=0, layer__lot__in={lot for _, lot in lots}, **of)
    sums = there.order_by("status").values_list("layer__item", "layer__lot", "status").annotate(units=Sum("quantity"))
    found: dict[tuple[int, str], list[tuple[str, Decimal]]] = {}
    for item, lot, status, units in sums:
        found.setdefault((item, lot), []).append((status, units))
    return found


def scan_words(goods: Sequence[Goods], rows: Sequence[ReceiveRow], where: Context, day: date) -> list[str]:
    """The same of one scan, in words; and of whom goods are expected that are not ordered here."""
    found = [
        problem.what
        for one in goods
        for problem in short_lived(one.item, one.scan.best_before, day, where="", accept=False)
    ]
    apart = _apart(where.site, {(one.item.pk, one.scan.lot) for one in goods if one.scan.lot})
    for one in goods:
        states = apart.get((one.item.pk, one.scan.lot), [])
        found += [_of_lot(one.item, one.scan.lot, status, units) for status, units in states]
    strange = {row.item for row in rows if row.item is not None}
    if strange:
        found += _of_others(strange, where)
    return found


def _of_others(items: set[int], where: Context) -> list[str]:
    parts = Instalment.objects.filter(line__item__in=items, line__order__site=where.site, position__with_supplier__gt=0)
    parts = parts.exclude(line__order=where.order) if where.order else parts
    parts = parts.exclude(line__order__supplier=where.supplier) if where.supplier else parts
    first = parts.select_related("line__item", "line__order__supplier").order_by("asked_on", "pk").first()
    if first is None:
        return []
    order = first.line.order
    return [f"{first.line.item.code} is expected of {order.supplier}, on {order.number}."]
