"""Writes of orders, lines, instalments and revisions."""

import itertools
import json
from collections import Counter
from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass
from datetime import date, timedelta
from decimal import Decimal

from django.db import connection
from django.db.models import F, Max

from northing.access.acts import Act
from northing.access.models import Person
from northing.core.orders.orders import net_share
from northing.database.columns import insert_columns, update_columns
from northing.masterdata.models import Company, Item, Party, Site
from northing.orders.models import Instalment, OrderFile, OrderFileRow, OrderLine, PurchaseOrder, Revision
from northing.orders.snapshot import snapshot

ZERO = Decimal(0)


@dataclass(frozen=True)
class Terms:
    """The head of an order; percentages as fractions of 1. Without a buyer it is the person who writes it."""

    company: Company
    supplier: Party
    site: Site
    incoterm: str
    incoterm_place: str
    ours_from: str
    need_by: date
    mode: str = "sea"
    reference: str = ""
    supplier_reference: str = ""
    remark: str = ""
    answer_by: date | None = None
    remind_days: int | None = None
    discount: Decimal = ZERO
    surcharge: Decimal = ZERO
    tax_rate: Decimal = ZERO
    order_to: str = ""
    despatch_from: str = ""
    deliver_to: str = ""
    invoice_to: str = ""
    buyer: Person | None = None


@dataclass(frozen=True)
class LineTerms:
    """A line as it will be written; quantity in base units, price per pack."""

    item: Item
    pack: str
    pack_factor: Decimal
    quantity: Decimal
    pack_price: Decimal
    agreed_pack_price: Decimal | None
    discount: Decimal
    need_by: date


def write_order(act: Act, terms: Terms, lines: Sequence[LineTerms], number: str = "") -> PurchaseOrder:
    """A draft order with its lines."""
    return write_orders(act, [(terms, lines)], number)[0]


def write_orders(
    act: Act, drafts: Sequence[tuple[Terms, Sequence[LineTerms]]], number: str = ""
) -> list[PurchaseOrder]:
    """Draft orders with their lines, in as many statements for many as for one; numbered in their order."""
    numbers = [number] if number else _next_numbers([terms.company for terms, _ in drafts])
    orders = PurchaseOrder.objects.bulk_create(
        PurchaseOrder(
            number=number,
            currency=terms.supplier.currency,
            created_at=act.at,
            **vars_of(terms) | {"buyer": terms.buyer or act.person},
        )
        for number, (terms, _) in zip(numbers, drafts, strict=True)
    )
    insert_columns(
        OrderLine._meta.db_table,
        LINE_COLUMNS,
        [
            (order.pk, place, line.item.pk, line.pack, line.pack_factor, line.quantity, line.pack_price)
            + (line.agreed_pack_price, line.discount, line.need_by)
            + (net_share(line.discount, terms.discount, terms.surcharge),)
            for order, (terms, lines) in zip(orders, drafts, strict=True)
            for place, line in enumerate(lines, 1)
        ],
    )
    return orders


LINE_COLUMNS = {
    "order_id": "bigint",
    "number": "smallint",
    "item_id": "bigint",
    "pack": "text",
    "pack_factor": "numeric",
    "quantity": "numeric",
    "pack_price": "numeric",
    "agreed_pack_price": "numeric",
    "discount": "numeric",
    "need_by": "date",
    "net_share": "numeric",
}


COUNT_ON = f"""
update {Company._meta.db_table} set last_order_number = last_order_number + %s where id = %s returning last_order_number
"""


def _next_numbers(companies: Sequence[Company]) -> list[str]:
    """Each company's next order numbers, without gaps: its row is locked until the orders are saved."""
    counts = Counter(company.pk for company in companies)
    next_of = {}
    with connection.cursor() as cursor:
        for key in sorted(counts):
            cursor.execute(COUNT_ON, [counts[key], key])
            next_of[key] = itertools.count(cursor.fetchone()[0] - counts[key] + 1)
    return [f"{company.code}-{next(next_of[company.pk]):05d}" for company in companies]


def lock(orders: Iterable[int]) -> dict[int, PurchaseOrder]:
    """The orders, locked in key order: after the shipments, before the units."""
    found = PurchaseOrder.objects.select_for_update().filter(pk__in=set(orders)).order_by("pk")
    return {order.pk: order for order in found}


def mark(order: PurchaseOrder, **facts) -> None:
    """Record facts of the order's way out: checked, approved, sent."""
    for name, value in facts.items():
        setattr(order, name, value)
    order.save(update_fields=list(facts))


def mark_change(order: PurchaseOrder, **facts) -> None:
    """`mark` and `count_change` in one statement, of an order that is held locked."""
    mark(order, version=order.version + 1, **facts)


def reprice(order: PurchaseOrder, lines: Iterable[OrderLine]) -> None:
    """Bring along what is paid of the lines' prices after the order's discount or surcharge changed.

    Its instalments keep their agreed prices until they need agreeing again.
    """
    order.lines.update(net_share=(1 - F("discount")) * (1 - order.discount) * (1 + order.surcharge))
    for line in lines:
        line.net_share = _paid(order, line.discount)


def _paid(order: PurchaseOrder, discount: Decimal) -> Decimal:
    return net_share(discount, order.discount, order.surcharge)


def count_change(order: PurchaseOrder) -> None:
    """Count the order's version up: who looked at the one before must look again."""
    PurchaseOrder.objects.filter(pk=order.pk).update(version=F("version") + 1)
    order.refresh_from_db(fields=["version"])


def set_need_by(line: OrderLine, need_by: date) -> None:
    """Record by when we need the line at our dock."""
    line.need_by = need_by
    line.save(update_fields=["need_by"])


def write_instalments(order: PurchaseOrder, lines: Sequence[OrderLine]) -> list[Instalment]:
    """One instalment for each of the order's lines, asked to be ready in time for its need-by date at our dock."""
    passage = timedelta(days=order.supplier.passage_days)
    # An order that was never sent has no instalments yet.
    numbers = Instalment.objects.filter(line__order=order).values("line").annotate(last=Max("number"))
    last = dict(numbers.values_list("line", "last")) if order.revision else {}
    return Instalment.objects.bulk_create(
        Instalment(
            line=line,
            number=last.get(line.pk, 0) + 1,
            quantity=line.quantity,
            asked_on=line.need_by - passage,
            pack_price=line.pack_price,
            net_share=line.net_share,
        )
        for line in lines
    )


def add_instalment(line: OrderLine, quantity: Decimal, asked_on: date) -> Instalment:
    """One more dated part of a line, at the line's price."""
    last = Instalment.objects.filter(line=line).aggregate(last=Max("number"))["last"] or 0
    return Instalment.objects.create(
        line=line,
        number=last + 1,
        quantity=quantity,
        asked_on=asked_on,
        pack_price=line.pack_price,
        net_share=line.net_share,
    )


def shrink(part: Instalment, by: Decimal) -> None:
    """Take back a part of an instalment; what is left of the agreement is at most what is left of it."""
    part.quantity -= by
    part.agreed_quantity = min(part.agreed_quantity, part.quantity)
    part.save(update_fields=["quantity", "agreed_quantity"])


def ask_anew(part: Instalment, asked_on: date, line: OrderLine | None = None) -> None:
    """Ask for another day, or at the price of its line: it needs agreeing again; the first promise stays on record."""
    part.asked_on = asked_on
    if line is not None:
        part.pack_price, part.net_share = line.pack_price, line.net_share
    part.agreed_quantity, part.promise = Decimal(0), None
    part.counter_on = part.counter_price = None
    part.save()


def add_line(order: PurchaseOrder, terms: LineTerms) -> OrderLine:
    """One more line, numbered after the last."""
    last = order.lines.aggregate(last=Max("number"))["last"] or 0
    return OrderLine.objects.create(
        order=order, number=last + 1, net_share=_paid(order, terms.discount), **vars_of(terms)
    )


def vars_of(terms: Terms | LineTerms) -> dict[str, object]:
    """The terms as columns."""
    return {name: getattr(terms, name) for name in terms.__dataclass_fields__}


def change_line(order: PurchaseOrder, line: OrderLine, **facts: object) -> None:
    """Record what changed of a line."""
    for name, value in facts.items():
        setattr(line, name, value)
    line.net_share = _paid(order, line.discount)
    line.save(update_fields=[*facts, "net_share"])


def write_revision(act: Act, order: PurchaseOrder) -> Revision:
    """Keep the snapshot of what is sent now."""
    return Revision.objects.create(
        order=order, number=order.revision + 1, sent_at=act.at, sent_by=act.person, content=snapshot(order)
    )


def agree_as_asked(agreed: Iterable[tuple[Instalment, date, Decimal]]) -> None:
    """Take over answers that equal what was asked: the whole quantity for that ready date, at that price."""
    rows = [
        (part.pk, part.quantity, part.first_promise or ready_on, ready_on, price, None, None)
        for part, ready_on, price in agreed
    ]
    types = {"agreed_quantity": "numeric", "first_promise": "date", "promise": "date", "pack_price": "numeric"}
    types |= {"counter_on": "date", "counter_price": "numeric"}
    update_columns(Instalment._meta.db_table, types, rows)


def agree(instalment: Instalment, quantity: Decimal, ready_on: date, pack_price: Decimal) -> Instalment | None:
    """Take over what was agreed. A smaller quantity splits off the rest, which is returned, not agreed."""
    rest = instalment.quantity - quantity
    later = None
    if rest > 0:
        last = Instalment.objects.filter(line=instalment.line_id).order_by("-number").first()
        later = Instalment.objects.create(
            line_id=instalment.line_id,
            number=last.number + 1,
            quantity=rest,
            asked_on=instalment.asked_on,
            pack_price=instalment.pack_price,
            net_share=instalment.net_share,
        )
    instalment.quantity = instalment.agreed_quantity = quantity
    instalment.pack_price = pack_price
    instalment.first_promise = instalment.first_promise or ready_on
    instalment.promise = ready_on
    instalment.counter_on = instalment.counter_price = None
    instalment.save()
    return later


def counter(instalment: Instalment, ready_on: date, pack_price: Decimal) -> None:
    """Keep what we propose instead of what was offered."""
    instalment.counter_on, instalment.counter_price = ready_on, pack_price
    instalment.save(update_fields=["counter_on", "counter_price"])


def line_keys(orders: Iterable[int]) -> dict[int, list[int]]:
    """The ids of the orders' lines, in their order."""
    found: dict[int, list[int]] = {}
    lines = OrderLine.objects.filter(order__in=list(orders)).order_by("order", "number")
    for order, line in lines.values_list("order", "pk"):
        found.setdefault(order, []).append(line)
    return found


def copy_rows(file: OrderFile, rows: Iterable[tuple[int, str, dict]]) -> int:
    """Put the rows of a file (number, group, cells) into the database as they come; returns how many."""
    table, count = OrderFileRow._meta.db_table, 0
    with connection.cursor() as cursor:
        statement = f'copy {table} (file_id, number, "group", cells, state, says) from stdin'
        with cursor.copy(statement) as copy:
            for number, group, cells in rows:
                copy.write_row((file.pk, number, group, json.dumps(cells), "read", ""))
                count += 1
    return count


@dataclass(slots=True)
class FileRow:
    """A row of an order file as it is worked on: many of them, so no model objects."""

    pk: int
    number: int
    group: str
    cells: dict[str, str]
    state: str


FILE_ROW = ("pk", "number", "group", "cells", "state")


def file_rows(file: OrderFile) -> Iterator[FileRow]:
    """All the rows of a file, those of an order together."""
    rows = file.rows.order_by("group", "number").values_list(*FILE_ROW)
    return (FileRow(*row) for row in rows.iterator(chunk_size=2_000))


def waiting_rows(file: OrderFile, group: str | None = None, limit: int | None = None) -> list[FileRow]:
    """Rows that are to be taken, locked: of one order, or the first of all."""
    rows = file.rows.select_for_update().filter(state__in=("new", "changes")).order_by("group", "number")
    if group is not None:
        rows = rows.filter(group=group)
    return [FileRow(*row) for row in rows.values_list(*FILE_ROW)[:limit]]


def mark_rows(rows: Iterable[tuple[int, str, str, int | None]]) -> None:
    """Save the outcome of rows: (row, state, words, order)."""
    types = {"state": "text", "says": "text", "order_id": "bigint"}
    update_columns(OrderFileRow._meta.db_table, types, list(rows))


def write_file(file: OrderFile) -> OrderFile:
    """A file that is to be read, or what was read of it."""
    file.save()
    return file


def empty_file(file: OrderFile) -> None:
    """Forget the rows of a file: it is read anew, or could not be."""
    file.rows.all().delete()


def mark_file(file: OrderFile, state: str) -> None:
    """How far a file is taken."""
    OrderFile.objects.filter(pk=file.pk).update(state=state)


def open_line(order: PurchaseOrder, line: OrderLine, part: Instalment) -> Instalment:
    """A line of an order that was open before Northing, with its one instalment."""
    line.order, part.line = order, line
    line.save(force_insert=True)
    part.save(force_insert=True)
    return part
