"""The calls of the job: orders, lines, confirmations, documents, changes."""

from datetime import timedelta
from typing import Annotated, Any

from django.db.models import Q
from django.http import FileResponse, Http404, HttpRequest, QueryDict
from django.shortcuts import get_object_or_404
from django.utils import timezone
from ninja import File, Query, Router
from ninja.files import UploadedFile

from northing.access.permissions import companies_of
from northing.access.queries import people_who, scoped
from northing.actions.activity import remarks
from northing.actions.confirmations import answers as agreeing
from northing.actions.orders import cancel, revise, write
from northing.activity.documents import LARGEST
from northing.activity.documents import where as file_of
from northing.activity.models import Document, HistoryEntry, HistoryLink
from northing.api.callers import act_of, require
from northing.api.paging import USUAL, key_of, number_of, page, word_of
from northing.api.parameters import After, Key, Limit, Words, answers
from northing.api.shapes import shapes
from northing.api.shapes.shapes import NO_NUL
from northing.confirmations.models import Answer
from northing.core.costing.ownership import proposed_moment
from northing.core.positions.places import PLACES
from northing.core.problems import Problem, Refused
from northing.masterdata.models import Company, Party, Site
from northing.orders.models import PurchaseOrder
from northing.reports.line_book.asked import asked_from
from northing.reports.line_book.columns import COLUMNS
from northing.reports.line_book.rows import flat_page

router = Router()


def _seen(request: HttpRequest):
    found = PurchaseOrder.objects.select_related("company", "supplier", "site", "buyer")
    return scoped(found, request.auth.person)


@router.get("/orders", response=answers(shapes.Orders), tags=["orders"])
def orders(request: HttpRequest, after: After = "", limit: Limit = USUAL, number: Words = "", reference: Words = ""):
    """Orders, newest first, without their lines; by number or by our reference."""
    require(request, "read")
    found = _seen(request)
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
    record = get_object_or_404(_seen(request), pk=key)
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
    moment = asked.ours_from
    try:
        moment = moment or proposed_moment(asked.incoterm)
    except KeyError:
        raise Refused(Problem("Unknown Incoterms rule.", "incoterm")) from None
    wanted = write.OrderRequest(
        company=company.pk,
        site=_named(Site.objects.filter(company=company), asked.site, "site").pk,
        supplier=_named(Party.objects.filter(kind=Party.Kind.SUPPLIER), asked.supplier, "supplier").pk,
        ours_from=moment,
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
    """Change an order; of a sent one this makes and sends a revision. 409 when somebody changed it meanwhile."""
    require(request, "orders")
    record = get_object_or_404(_seen(request), pk=order_id)
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
    "check": lambda act, key: write.check_order(act, write.OrderAct(key)),
    "approve": lambda act, key: write.approve_order(act, write.OrderAct(key)),
    "send": lambda act, key: write.send_order(act, write.OrderAct(key)),
    "cancel": lambda act, key: cancel.cancel(act, cancel.StopRequest(key)),
    "reopen": lambda act, key: cancel.reopen(act, cancel.StopRequest(key)),
    "take-back": lambda act, key: cancel.take_back(act, cancel.StopRequest(key)),
}


def _step(name: str) -> None:
    def call(request: HttpRequest, order_id: Key):
        require(request, "orders")
        get_object_or_404(_seen(request), pk=order_id)
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


@router.get("/confirmations", response=answers(shapes.Confirmations), tags=["confirmations"])
def confirmations(
    request: HttpRequest,
    after: After = "",
    limit: Limit = USUAL,
    outcome: Annotated[str, Query("", max_length=12, pattern=NO_NUL)] = "",
):
    """What suppliers answered, newest first; `outcome=open` is what waits for us."""
    require(request, "read")
    found = scoped(Answer.objects.select_related("instalment__line"), request.auth.person, COMPANY_OF_ANSWER)
    rows, following = page(found.filter(outcome=outcome) if outcome else found, after, limit, newest_first=True)
    return {"items": [_answer(row) for row in rows], "next": following}


COMPANY_OF_ANSWER = "instalment__line__order__company"


def _answer(row: Answer) -> dict[str, Any]:
    names = "id reference quantity ready_on asked_quantity asked_on remark answered_on outcome"
    found = {name: getattr(row, name) for name in names.split()}
    line = row.instalment.line
    found |= {"order": line.order_id, "line": line.pk, "instalment": row.instalment_id}
    return found | {"price": row.pack_price, "asked_price": row.asked_pack_price}


@router.post("/confirmations", response=answers(shapes.Made, 201), tags=["confirmations"])
def record_confirmation(request: HttpRequest, asked: shapes.ConfirmationIn):
    """Record a supplier's answer; what equals what was asked is agreed, the rest waits for a decision."""
    require(request, "confirmations")
    get_object_or_404(_seen(request), pk=asked.order)
    rows = tuple(
        agreeing.AnswerRow(row.instalment, row.quantity, row.ready_on, row.price, remark=row.remark)
        for row in asked.rows
    )
    wanted = agreeing.AnswersRequest(asked.order, asked.reference, asked.answered_on, rows)
    return 201, {"id": agreeing.record_answers(act_of(request), wanted)}


@router.post("/confirmations/{answer_id}/decision", response=answers(shapes.ConfirmationOut), tags=["confirmations"])
def decide(request: HttpRequest, answer_id: Key, asked: shapes.DecisionIn):
    """Accept, refuse or counter an answer."""
    require(request, "confirmations")
    found = scoped(Answer.objects.select_related("instalment__line"), request.auth.person, COMPANY_OF_ANSWER)
    get_object_or_404(found, pk=answer_id)
    agreeing.decide_answer(act_of(request), agreeing.decision(answer_id, asked.decision, asked.counter_on))
    return _answer(found.get(pk=answer_id))


@router.get("/orders/{order_id}/documents", response=answers(shapes.Documents), tags=["documents"])
def documents(request: HttpRequest, order_id: Key):
    """The documents of an order."""
    require(request, "read")
    record = get_object_or_404(_seen(request), pk=order_id)
    return {"items": list(Document.objects.filter(kind="order", record=record.pk))}


@router.post("/orders/{order_id}/documents", response=answers(shapes.DocumentOut, 201), tags=["documents"])
def attach(request: HttpRequest, order_id: Key, file: File[UploadedFile], shared: bool = False):
    """Attach a PDF, picture or table; `shared` shows it to the supplier."""
    require(request, "documents")
    record = get_object_or_404(_seen(request), pk=order_id)
    wanted = remarks.DocumentRequest(record.pk, file.name or "document", file.read(LARGEST + 1), "order", shared)
    return 201, Document.objects.get(pk=remarks.add_document(act_of(request), wanted))


@router.get("/documents/{document_id}", response=answers(None), tags=["documents"])
def document(request: HttpRequest, document_id: Key):
    """The content of a document, as an attachment."""
    require(request, "read")
    try:
        record = remarks.document_of(act_of(request), document_id)
    except Refused:
        raise Http404 from None
    path = file_of(record.sha256)
    if not path.exists():
        raise Http404
    return FileResponse(path.open("rb"), as_attachment=True, filename=record.name, content_type=record.media_type)


@router.get("/changes", response=answers(shapes.Changes), tags=["changes"])
def changes(request: HttpRequest, after: After = "", limit: Limit = USUAL):
    """The story since a cursor, oldest first: poll with `next`. What is of other companies only stays out.

    Entries of the last seconds are held back: an action that is still being written may get a lower number than one
    that is done, and would be missed.
    """
    require(request, "read")
    mine = companies_of(request.auth.person)
    seen = HistoryLink.objects.filter(Q(company__in=mine) | Q(company=None))
    settled = timezone.now() - timedelta(seconds=SETTLES_SECONDS)
    found = HistoryEntry.objects.filter(pk__in=seen.values("entry"), at__lt=settled).select_related("actor")
    rows, following = page(found.filter(pk__gt=number_of(after)) if after else found, "", limit)
    last = following or (word_of(rows[-1].pk) if rows else after or word_of(0))
    links: dict[int, list[str]] = {}
    for link in seen.filter(entry__in=rows).order_by("pk"):
        links.setdefault(link.entry_id, []).append(f"{link.kind}/{link.record}")
    return {"items": [_change(row, links.get(row.pk, [])) for row in rows], "next": last}


SETTLES_SECONDS = 5


def _change(row: HistoryEntry, records: list[str]) -> dict[str, Any]:
    found = {name: getattr(row, name) for name in ("id", "at", "action", "channel", "text")}
    changed = [{name: str(value) for name, value in change.items()} for change in row.changes]
    return found | {"actor": str(row.actor) if row.actor else "", "changes": changed, "records": records}
