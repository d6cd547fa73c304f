"""The lines of receipts with what they cost: of a site, a period, goods by their names; for a page and for a file."""

from collections.abc import Collection, Iterator
from dataclasses import dataclass
from datetime import date
from typing import Any

from django.db.models import F, OuterRef, Q, QuerySet, Subquery
from django.db.models.functions import Coalesce

from northing.ledger.models import CostLayer
from northing.masterdata.models import Item
from northing.orders.models import PurchaseOrder
from northing.receiving.models import ReceiptLine

LINE = "instalment__line__"
ORDER = f"{LINE}order__"
# The columns of a file: what each is called, and where it is read.
COLUMNS = {
    "receipt": "receipt__number",
    "received_on": "receipt__occurred_on",
    "delivery_note": "receipt__delivery_note",
    "company": "receipt__company__code",
    "site": "receipt__site__code",
    "container": "receipt__container__number",
    "order": f"{ORDER}number",
    "line": f"{LINE}number",
    "supplier": "whose",
    "item": "item__code",
    "description": "item__description",
    "received": "quantity",
    "unit": "item__unit",
    "missing": "missing",
    "line_received": f"{LINE}summary__received",
    "line_billed": f"{LINE}summary__billed",
    "no_more": "dropped",
    "lot": "lot",
    "best_before": "best_before",
    "pallet": "sscc",
    "condition": "condition",
    "without_order": "why",
    "bin": "bin__code",
    "value": "value",
    "currency": "receipt__company__currency",
    "reversed": "receipt__reversed_by",
}
# The fields of a row on the page.
PAGE = {
    **{name: COLUMNS[name] for name in ("receipt", "delivery_note", "received_on", "site", "bin", "lot", "reversed")},
    **{name: COLUMNS[name] for name in ("order", "line", "supplier", "item", "description", "unit", "received")},
    **{name: COLUMNS[name] for name in ("missing", "line_received", "line_billed", "value", "currency")},
    "record": "receipt",
    "line_record": "instalment__line",
    "why": "why",
}
CHUNK = 2_000
# Orders of one number or reference; more are not meant.
MOST_NAMED = 1_000


@dataclass(frozen=True)
class Asked:
    """What is asked for: companies (ids), a site, suppliers (ids), days from and until, codes of an item and an order,
    whether reversed ones count, and whether their order line is billed as far as it is received.
    """

    companies: Collection[int]
    site: int | None = None
    since: date | None = None
    until: date | None = None
    reversed: bool = False
    suppliers: Collection[int] = ()
    item: str = ""
    order: str = ""
    billed: bool | None = None


def receipt_lines(asked: Asked) -> QuerySet[ReceiptLine]:
    """The lines, the newest receipt first."""
    found = ReceiptLine.objects.filter(receipt__company__in=list(asked.companies))
    if not asked.reversed:
        found = found.filter(receipt__reversed_by=None)
    for name, value in (
        ("receipt__site", asked.site),
        ("receipt__occurred_on__gte", asked.since),
        ("receipt__occurred_on__lte", asked.until),
    ):
        found = found.filter(**{name: value}) if value else found
    if asked.item:
        found = found.filter(item__in=_keys(Item.objects.filter(code__iexact=asked.item)))
    if asked.suppliers:
        theirs = list(asked.suppliers)
        found = found.filter(Q(supplier__in=theirs) | Q(**{f"{ORDER}supplier__in": theirs}))
    if asked.order:
        named = Q(number__iexact=asked.order) | Q(reference__iexact=asked.order)
        found = found.filter(instalment__line__order__in=_keys(PurchaseOrder.objects.filter(named)))
    if asked.billed is not None:
        whole = Q(**{f"{LINE}summary__billed__gte": F(f"{LINE}summary__received")})
        found = found.filter(whole if asked.billed else ~whole, why="")
    return found.order_by("-receipt_id", "pk")


def _keys(records: QuerySet) -> list[int]:
    """Found first: with the names in the question itself the database looks through every receipt there is."""
    return list(records.values_list("pk", flat=True)[:MOST_NAMED])


def with_value(lines: QuerySet[ReceiptLine]) -> QuerySet[ReceiptLine]:
    """The lines with `value`: what their goods in stock cost by now, in base currency, empty where none came;
    and with `whose` they are.
    """
    cost = CostLayer.objects.filter(receipt_line=OuterRef("pk"), kind="stock").values("total_cost")[:1]
    return lines.annotate(value=Subquery(cost), whose=Coalesce(f"{ORDER}supplier__name", "supplier__name"))


def page_rows(lines: QuerySet[ReceiptLine], first: int, past: int) -> list[dict[str, Any]]:
    """Rows of a page, by the names of PAGE: which lines they are is found first, then they alone are read.

    Plain rows, since records of all their fields take longer to make than the page.
    """
    keys = list(lines.values_list("pk", flat=True)[first:past])
    rows = with_value(ReceiptLine.objects.filter(pk__in=keys)).values_list("pk", *PAGE.values())
    found = {row[0]: dict(zip(PAGE, row[1:], strict=True)) for row in rows}
    for row in found.values():
        row["why"] = ReceiptLine.Why(row["why"]).label.lower()
    # One may be gone since it was found.
    return [found[key] for key in keys if key in found]


def file_rows(lines: QuerySet[ReceiptLine]) -> Iterator[dict[str, Any]]:
    """A row of a file for each line, read in chunks."""
    names, places = list(COLUMNS), list(COLUMNS.values())
    for row in with_value(lines).values_list(*places).iterator(CHUNK):
        told = dict(zip(names, row, strict=True))
        told["reversed"] = "yes" if told["reversed"] else ""
        yield told
