"""What a credit note from a file credits: its lines beside the claims, prices and charges that they may be about."""

from collections.abc import Iterable, Sequence
from dataclasses import replace
from decimal import Decimal

from northing.billing.models import BillLine
from northing.core.billing.tolerance import bill_number_key
from northing.core.money.money import rounded
from northing.formats.bill_files import BillFile, BillFileLine
from northing.orders.models import OrderLine
from northing.orders.named_lines import lines_named
from northing.reports.creditable import Creditable

ZERO = Decimal(0)


def credited_lines(said: BillFile, companies: Iterable[int]) -> list[OrderLine]:
    """The order lines that a credit note names, or that are on the bill it corrects; within companies (ids)."""
    rows = [one for one in said.lines if one.order]
    keys = {key for key in lines_named(rows) if key}
    if said.corrects:
        of_bill = BillLine.objects.filter(bill__number_key=bill_number_key(said.corrects), bill__reversed_by=None)
        keys |= set(of_bill.exclude(order_line=None).values_list("order_line", flat=True))
    found = OrderLine.objects.filter(pk__in=keys, order__company__in=list(companies))
    return list(found.select_related("order__company", "order__supplier", "item").order_by("pk"))


def fitting_amounts(said: BillFile, known: Sequence[Creditable]) -> tuple[dict[str, Decimal], list[BillFileLine]]:
    """What each of `known` is credited with, by its key, and the lines of the file that fit nothing.

    Goods are credited off their claims first, the oldest first, and what is more than that off their price; a line of
    no goods off a charge of its kind.
    """
    lines = {one.line.pk: one.line for one in known if one.line}
    named = lines_named([_named(one, list(lines.values())) for one in said.lines])
    amounts: dict[str, Decimal] = {}
    unknown = []
    for row, key in zip(said.lines, named, strict=True):
        wanted = abs(_amount(row, lines.get(key or 0)))
        places = [one for one in known if _fits(one, row, key)]
        for one in places:
            part = min(wanted, one.most - amounts.get(one.key, ZERO))
            if part > 0:
                amounts[one.key] = amounts.get(one.key, ZERO) + part
                wanted -= part
        if wanted and places:
            # More than is claimed or billed: the form says so beside it.
            amounts[places[-1].key] = amounts.get(places[-1].key, ZERO) + wanted
        elif not places:
            unknown.append(row)
    return amounts, unknown


def _fits(one: Creditable, row: BillFileLine, key: int | None) -> bool:
    if one.charge:
        return not key and one.charge.kind == row.kind
    return one.line is not None and one.line.pk == key


def _named(row: BillFileLine, lines: Sequence[OrderLine]) -> BillFileLine:
    """A row that names no order is about the only line of its item, or the only line."""
    fitting = [one for one in lines if not row.item or one.item.code.upper() == row.item.upper()]
    if row.order or row.kind or len(fitting) != 1:
        return row
    return replace(row, order=fitting[0].order.number, line=str(fitting[0].number))


def _amount(row: BillFileLine, line: OrderLine | None) -> Decimal:
    """What a row credits, in the currency of its order; by units and price where it says no amount."""
    if row.amount is not None:
        return row.amount
    if line is None or row.quantity is None or row.price is None:
        return ZERO
    return rounded(row.quantity * row.price / line.pack_factor, line.order.currency)
