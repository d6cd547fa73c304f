"""Returns as lists and on paper: what went back, what of it was claimed or not owed any more, and what was lost."""

from collections import defaultdict
from collections.abc import Collection, Iterator
from dataclasses import dataclass
from datetime import date
from decimal import Decimal
from itertools import islice
from pathlib import Path
from typing import Any

from django.db.models import Count, F, Q, QuerySet, Sum
from django.db.models.functions import Coalesce

from northing.claims.models import GoodsReturn, ReturnNote
from northing.core.money.money import rounded
from northing.core.orders.orders import net_amount
from northing.formats.despatch import Advice, Packed, advice_xml
from northing.formats.sheets import write_sheet
from northing.messaging.print_pdf import to_pdf
from northing.orders.models import OrderLine
from northing.orders.queries import first_prices
from northing.reports.tax_parts import tax_parts

LINE = "case__layer__shipment_line__instalment__line__"
# The columns of a file: what each is called, and where it is read.
COLUMNS = {
    "return": "goods_return__number",
    "returned_on": "occurred_on",
    "company": "company__code",
    "site": "goods_return__site__code",
    "supplier": "case__supplier__name",
    "reference": "reference",
    "reason": "goods_return__reason",
    "order": f"{LINE}order__number",
    "line": f"{LINE}number",
    "item": "case__layer__item__code",
    "lot": "case__layer__lot",
    "quantity": "quantity",
    "unit": "case__layer__item__unit",
    "price": "claimed",
    "tax": "claimed",
    "lost": "lost",
    "cost": "cost",
    "currency": "company__currency",
    "reversed": "reversed_by",
}
CHUNK = 2_000
ZERO = Decimal(0)
# A workbook is made at once and whole; more rows than these are had as CSV.
MOST_ROWS = 10_000
WAITING = ("authorisation__case__layer__item", "authorisation__case__layer__shipment_line__instalment__line__order")


@dataclass(frozen=True)
class Asked:
    """Which returns are asked for: of companies (ids), by a word, from a day until a day."""

    companies: Collection[int]
    word: str = ""
    start: date | None = None
    end: date | None = None

    def of(self, found: QuerySet[GoodsReturn]) -> QuerySet[GoodsReturn]:
        """Those of a query set."""
        found = found.filter(company__in=self.companies)
        if self.word:
            word = self.word
            wanted = Q(supplier__name__icontains=word) | Q(reference__icontains=word) | Q(number__icontains=word)
            found = found.filter(wanted)
        days = {"occurred_on__gte": self.start, "occurred_on__lte": self.end}
        return found.filter(**{name: day for name, day in days.items() if day})


def returns_of(asked: Asked) -> QuerySet[GoodsReturn]:
    """Returns, the newest first, with how many lines and units stand and their cost."""
    found = asked.of(GoodsReturn.objects.all())
    standing = Q(notes__reversed_by=None)
    return found.annotate(
        lines=Count("notes", filter=standing),
        cost=Coalesce(Sum("notes__cost", filter=standing), 0, output_field=ReturnNote._meta.get_field("cost")),
        lost=Coalesce(Sum("notes__lost", filter=standing), 0, output_field=ReturnNote._meta.get_field("lost")),
    ).order_by("-pk")


def sums_of(asked: Asked) -> list[tuple[str, Decimal, Decimal, Decimal]]:
    """What the returns come to by base currency: price, loss, and cost."""
    returns = asked.of(GoodsReturn.objects.all()).order_by().values("pk")
    notes = ReturnNote.objects.filter(goods_return__in=returns, reversed_by=None).values_list("company__currency")
    sums = notes.order_by("company__currency").annotate(p=Sum("claimed"), l=Sum("lost"), c=Sum("cost"))
    return list(sums)


def notes_of(goods_return: GoodsReturn) -> list[ReturnNote]:
    """The lines of a return, with what was ordered and received of their order lines, and their amount at its price."""
    line = "case__layer__shipment_line__instalment__line"
    related = ("case__layer__item", f"{line}__order", f"{line}__summary", "reversed_by")
    at = {"ordered": F(f"{line}__summary__ordered"), "received": F(f"{line}__summary__received")}
    notes = list(goods_return.notes.select_related(*related).annotate(**at).order_by("pk"))
    prices = first_prices({_line(note).pk for note in notes})
    for note in notes:
        own, (price, share) = _line(note), prices[_line(note).pk]
        note.at_price = net_amount(note.quantity, own.pack_factor, price, share, own.order.currency)
    return notes


def _line(note: ReturnNote) -> OrderLine:
    return note.case.layer.shipment_line.instalment.line


def return_rows(asked: Asked) -> Iterator[dict[str, Any]]:
    """The rows of a file: a line of a return each, with the tax that its price bore on its last bill."""
    returns = asked.of(GoodsReturn.objects.all()).order_by().values("pk")
    notes = ReturnNote.objects.filter(goods_return__in=returns).order_by("-pk")
    rows = notes.values_list(*COLUMNS.values(), f"{LINE}pk").iterator(chunk_size=CHUNK)
    for some in batched(rows, CHUNK):
        parts = tax_parts({row[-1] for row in some})
        for row in some:
            found = dict(zip(COLUMNS, row, strict=False))
            tax = rounded(found["price"] * parts.get(row[-1], ZERO), found["currency"])
            yield found | {"tax": tax, "reversed": found["reversed"] is not None}


def batched(rows: Iterator[Any], size: int) -> Iterator[list[Any]]:
    """Rows in lists of so many."""
    while some := list(islice(rows, size)):
        yield some


def return_paper(goods_return: GoodsReturn) -> bytes:
    """The return note as a PDF, which goes with the goods."""
    notes = [one for one in notes_of(goods_return) if not one.reversed_by_id]
    waits = list(goods_return.stands_by.select_related(*WAITING)) if goods_return.prepared else []
    sums: dict[str, Decimal] = defaultdict(Decimal)
    for note in notes:
        sums[_line(note).order.currency] += note.at_price
    context = {"record": goods_return, "notes": notes, "waits": waits, "sums": sorted(sums.items())}
    return to_pdf("claims/return_paper.html", context, sums=False)


def return_advice(goods_return: GoodsReturn) -> bytes:
    """What goes back as a UBL DespatchAdvice: from us to the supplier, by our order lines."""
    company, supplier = goods_return.company, goods_return.supplier
    notes = [one for one in notes_of(goods_return) if not one.reversed_by_id]
    return advice_xml(
        Advice(
            number=goods_return.number,
            issued_on=goods_return.occurred_on,
            supplier=(company.name, "", company.country),
            customer=(supplier.name, supplier.city, supplier.country, goods_return.deliver_to),
            document=goods_return.reference,
            lines=[_packed(note) for note in notes],
        )
    )


def _packed(note: ReturnNote) -> Packed:
    line, layer = _line(note), note.case.layer
    item = layer.item
    return Packed(
        order=line.order.number,
        line=line.number,
        item=item.code,
        description=item.description,
        supplier_code="",
        unit=item.unit,
        quantity=note.quantity,
        container="",
        size_type="",
        seal="",
        sscc="",
        volume=note.quantity * (item.volume_m3 or 0),
        weight=note.quantity * (item.weight_kg or 0),
        lot=layer.lot,
        best_before=layer.best_before,
    )


def write_returns(path: Path, asked: Asked) -> int:
    """The same rows as a workbook; returns how many there were."""
    rows = (list(row.values()) for row in islice(return_rows(asked), MOST_ROWS))
    return write_sheet(path, list(COLUMNS), rows, [14] * len(COLUMNS))
