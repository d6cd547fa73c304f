"""The calls of orders and their lines."""

from typing import Annotated, Any

from django.http import HttpRequest, QueryDict
from django.shortcuts import get_object_or_404
from django.utils import timezone
from ninja import Query, Router

from northing.access.permissions import companies_of
from northing.access.queries import people_who, scoped
from northing.actions.orders import cancel, revise, send, write
from northing.api.callers import act_of, require
from northing.api.paging import USUAL, key_of, page, word_of
from northing.api.parameters import After, Key, Limit, Words, answers
from northing.api.shapes import orders as shapes
from northing.api.shapes.common import NO_NUL
from northing.core.positions.places import PLACES
from northing.core.problems import Problem, Refused
from northing.masterdata.models import Company, Party, Site
from northing.orders.models import PurchaseOrder
from northing.reports.line_book.asked import asked_from
from northing.reports.line_book.columns import COLUMNS
from northing.reports.line_book.rows import flat_page

router = Router()


def seen_orders(request: HttpRequest):
    """Orders that the token's person sees."""
    found = PurchaseOrder.objects.select_related("company", "supplier", "site", "buyer")
    return scoped(found, request.auth.person)


@router.get("/orders", response=answers(shapes.Orders), tags=["orders"])
def orders(request: HttpRequest, after: After = "", limit: Limit = USUAL, number: Words = "", reference: Words = ""):
    """Orders, newest first, without their lines; by number or by our reference."""
    require(request, "read")
    found = seen_orders(request)
    if number:
        found = found.filter(number=number)
    if reference:
        found = found.filter(reference=reference)
    rows, following = page(found, after, limit, newest_first=True)
    return {"items": [_order(row, []) for row in rows], "next": following}


@router.get("/orders/{order_id}", response=answers(shapes.OrderOut), tags=["orders"])
def order(request: HttpRequest, order_id: Key):
    """An order with its lines, instalments and where every unit is."""
    require(request, "read")
    return _whole(request, order_id)


def _whole(request: HttpRequest, key: int) -> dict[str, Any]:
    record = get_object_or_404(seen_orders(request), pk=key)
    lines = record.lines.select_related("item").prefetch_related("instalments__position").order_by("number")
    return _order(record, [_line(line) for line in lines])


def _order(record: PurchaseOrder, lines: list[dict[str, Any]]) -> dict[str, Any]:
    names = (
        "id number version stage revision currency incoterm incoterm_place ours_from mode reference supplier_reference"
        " remark need_by answer_by sent_at discount surcharge tax_rate order_to despatch_from deliver_to invoice_to"
    )
    found = {name: getattr(record, name) for name in names.split()}
    codes = {"company": record.company.code, "supplier": record.supplier.code, "site": record.site.code}
    codes["buyer"] = record.buyer.username
    return found | codes | {"lines": lines}


def _line(line: Any) -> dict[str, Any]:
    names = ("id", "number", "quantity", "pack", "pack_factor", "discount", "need_by")
    parts = [_part(part) for part in line.instalments.all()]
    found = {name: getattr(line, name) for name in names}
    return found | {"item": line.item.code, "price": line.pack_price, "instalments": parts}


def _part(part: Any) -> dict[str, Any]:
    names = ("id", "number", "quantity", "agreed_quantity", "asked_on", "first_promise", "promise", "expected_on")
    found = {name: getattr(part, name) for name in names}
    position = {place: getattr(part.position, place) for place in PLACES} if hasattr(part, "position") else {}
    return found | {"price": part.pack_price, "position": position}


@router.post("/orders", response=answers(shapes.OrderOut, 201), tags=["orders"])
def write_order(request: HttpRequest, asked: shapes.OrderIn):
    """Write an order as a draft. Send `Idempotency-Key` so that a repeated call writes it once."""
    require(request, "orders")
    named = {"company", "site", "supplier", "lines", "ours_from", "buyer"}
    head = {name: getattr(asked, name) for name in type(asked).model_fields if name not in named}
    buyers = people_who("write_order", request.auth.person)
    company = _named(scoped(Company.objects.all(), request.auth.person, "pk"), asked.company, "company")
    wanted = write.OrderRequest(
        company=company.pk,
        site=_named(Site.objects.filter(company=company), asked.site, "site").pk,
        supplier=_named(Party.objects.filter(kind=Party.Kind.SUPPLIER), asked.supplier, "supplier").pk,
        ours_from=asked.ours_from or "",
        buyer=_named(buyers, asked.buyer, "buyer", "username").pk if asked.buyer else None,
        lines=tuple(_asked_line(line) for line in asked.lines),
        **head,
    )
    return 201, _whole(request, write.write_order(act_of(request), wanted))


def _named(found: Any, code: str, where_: str, name: str = "code") -> Any:
    one = found.filter(**{name: code}).first()
    if one is None:
        raise Refused(Problem(f"There is no {where_} {code!r} that you may order for or from.", where_))
    return one


def _asked_line(line: shapes.OrderLineIn) -> write.LineRequest:
    return write.LineRequest(line.item, line.pack, line.quantity, line.price, line.discount, line.need_by)


@router.patch("/orders/{order_id}", response=answers(shapes.OrderOut), tags=["orders"])
def change_order(request: HttpRequest, order_id: Key, asked: shapes.OrderChangeIn):
    """Change an order; of a sent one this makes and sends a revision. 409 when a person changed it meanwhile."""
    require(request, "orders")
    record = get_object_or_404(seen_orders(request), pk=order_id)
    head = {name: getattr(asked, name) for name in asked.model_fields_set - {"version", "lines", "added"}}
    if None in (value for name, value in head.items() if name != "answer_by"):
        raise Refused(Problem("Leave out what stays as it is; only answer_by can be taken away."))
    lines = {line.number: line for line in record.lines.all()}
    wanted = revise.ChangeRequest(
        order=record.pk,
        version=asked.version,
        head=tuple(head.items()),
        lines=tuple(_changed_line(lines, line) for line in asked.lines),
        added=tuple(_asked_line(line) for line in asked.added),
    )
    return _whole(request, revise.change_order(act_of(request), wanted))


def _changed_line(lines: dict[int, Any], asked: shapes.LineChangeIn) -> revise.LineChange:
    line = lines.get(asked.number)
    if line is None:
        raise Refused(Problem(f"The order has no line {asked.number}.", "lines"))
    return revise.LineChange(
        line=line.pk,
        quantity=line.quantity if asked.quantity is None else asked.quantity,
        pack_price=line.pack_price if asked.price is None else asked.price,
        discount=line.discount if asked.discount is None else asked.discount,
        need_by=asked.need_by or line.need_by,
    )


STEPS = {
    "check": lambda act, key: send.check_order(act, send.OrderAct(key)),
    "approve": lambda act, key: send.approve_order(act, send.OrderAct(key)),
    "approve-and-send": lambda act, key: send.approve_and_send(act, send.OrderAct(key)),
    "send": lambda act, key: send.send_order(act, send.OrderAct(key)),
    "cancel": lambda act, key: cancel.cancel(act, cancel.StopRequest(key)),
    "reopen": lambda act, key: cancel.reopen(act, cancel.StopRequest(key)),
    "take-back": lambda act, key: cancel.take_back(act, cancel.StopRequest(key)),
}


def _step(name: str) -> None:
    def call(request: HttpRequest, order_id: Key):
        require(request, "orders")
        get_object_or_404(seen_orders(request), pk=order_id)
        return _whole(request, STEPS[name](act_of(request), order_id))

    call.__name__ = f"{name.replace('-', '_')}_order"
    call.__doc__ = f"{name.replace('-', ' ').capitalize()} the order."
    router.post(f"/orders/{{order_id}}/{name}", response=answers(shapes.OrderOut), tags=["orders"])(call)


for step in STEPS:
    _step(step)


@router.get("/lines", response=answers(shapes.Lines), tags=["lines"])
def lines(
    request: HttpRequest,
    after: After = "",
    sort: Annotated[str, Query("need_by", max_length=40, pattern=NO_NUL)] = "need_by",
    where_: Annotated[str, Query("open", alias="where", max_length=500, pattern=NO_NUL)] = "open",
):
    """Lines with their positions, filtered by the line book's sentence (`late, from Qinlaro`), sorted by a column."""
    require(request, "read")
    today, query = timezone.localdate(), QueryDict(mutable=True)
    query.update({"where": where_, "sort": sort, "cols": ",".join(LINE_COLUMNS), "after": key_of(after)})
    asked = asked_from(query, today)
    rows, mark, unknown = flat_page(asked, companies_of(request.auth.person), today)
    return {"items": [_book_line(row) for row in rows], "next": word_of(mark) if mark else None, "unknown": unknown}


LINE_COLUMNS = [
    "supplier",
    "site",
    "company",
    "agreed",
    "received",
    "outstanding",
    "billed",
    "unbilled",
    "requested_on",
    "first_promise",
    "promise",
    "expected_on",
    "need_by",
    "value",
    "move",
    "since",
    "due",
]


def _book_line(row: dict[str, Any]) -> dict[str, Any]:
    found = {name: row[f"col_{name}"] for name in LINE_COLUMNS if name in COLUMNS}
    names = ("id", "order_number", "number", "description", "unit", "currency", "reason")
    found |= {name: row[name] for name in names}
    position = {place: row[place] for place in PLACES}
    return found | {"order": row["order_id"], "item": row["code"], "position": position}
