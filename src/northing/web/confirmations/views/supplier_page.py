"""The supplier's page: opened by a link, for one supplier, without an account."""

import uuid
from functools import wraps

from django.contrib import messages
from django.contrib.auth.decorators import login_not_required
from django.http import FileResponse, HttpResponse
from django.shortcuts import redirect, render
from django.utils import timezone
from django.views.decorators.csrf import csrf_exempt
from django.views.decorators.http import require_POST

from northing.access.acts import Act
from northing.actions.activity import remarks
from northing.actions.billing.keep import KeepRequest, enter_bill
from northing.actions.claims import authorise
from northing.actions.confirmations import answers, supplier_links
from northing.actions.shipping import despatch_notices
from northing.activity.documents import LARGEST, where
from northing.activity.models import Document
from northing.claims.models import Claim
from northing.core.problems import Refused
from northing.formats.despatch import read_notice
from northing.formats.tables import csv_line
from northing.masterdata.models import Party
from northing.orders.models import PurchaseOrder, Revision
from northing.web.common.callers import caller_of
from northing.web.common.logs import note
from northing.web.common.permissions import open_page, own_page
from northing.web.common.uploads import read_upload
from northing.web.confirmations.forms.supplier_bill import bill_said
from northing.web.confirmations.forms.supplier_page import (
    FileForm,
    RemarkForm,
    answer_rows,
    despatch_said,
    file_rows,
    taken_back,
)
from northing.web.confirmations.queries.supplier_page import (
    OrderShown,
    bills_shown,
    cases_shown,
    kept_shown,
    shipped_orders,
    shown_orders,
    to_bill,
)
from northing.web.confirmations.views import provider_page
from northing.web.confirmations.words import words
from northing.web.orders.views.documents import paper_file

WORDS = words()
# So many orders stand open side by side.
FEW = 3


def by_link(view):
    """The view with the link that the token opens; its pages leave no trace of their address anywhere.

    The right to act is the token in the address and no cookie: a foreign page that knew it would need no visitor to
    forge a form for. The usual check would fail every form, since a page without a referrer has no origin either.
    """

    @csrf_exempt
    @login_not_required
    @wraps(view)
    def opened(request, token: str, **others):
        try:
            link = supplier_links.opened(token, timezone.now(), caller_of(request))
        except Refused as refused:
            context = {"w": WORDS, "problems": refused.problems}
            return _secret(render(request, "confirmations/supplier_page/gone.html", context, status=429))
        if link is None:
            return _secret(render(request, "confirmations/supplier_page/gone.html", {"w": WORDS}, status=404))
        note(request, link=link.pk)
        return _secret(view(request, link, token, **others))

    return opened


def _secret(answer: HttpResponse) -> HttpResponse:
    answer["Referrer-Policy"] = "no-referrer"
    answer["Cache-Control"] = "no-store"
    answer["X-Robots-Tag"] = "noindex"
    return answer


def _act(request, link, part: str = "") -> Act:
    key = request.POST.get("key", "")[:40]
    person = supplier_links.acting_person(link.supplier)
    return Act(person, timezone.now(), f"{key}:{part}" if key else "", "link", link.supplier_id)


def _page(request, link, token: str, problems=(), status: int = 200):
    orders = shown_orders(link.supplier, request.POST if problems else None)
    _open(request, orders, problems)
    there = [part for order in orders for part in order.there]
    for part in there:
        part.leaves, part.box = (request.POST.get(f"{name}-{part.pk}", "") for name in ("leaves", "box"))
    context = {
        "there": there,
        "despatch": request.POST if "despatched_on" in request.POST else None,
        "w": WORDS,
        "supplier": link.supplier,
        "token": token,
        "key": uuid.uuid4().hex,
        "orders": orders,
        "waiting": sum(len(order.waits) for order in orders),
        "bills": bills_shown(link.supplier),
        "to_bill": to_bill(link.supplier).values(),
        "kept": kept_shown(link.supplier),
        "cases": cases_shown(link.supplier),
        "billing": request.POST if "dated" in request.POST else None,
        "shipped": shipped_orders(link.supplier, [one.order.pk for one in orders], timezone.localdate()),
        "problems": problems,
    }
    return render(request, "confirmations/supplier_page/page.html", context, status=status)


def _open(request, orders: list[OrderShown], problems) -> None:
    """The orders that stand open: that of the letter, or of what is wrong, which come first; or all of a few."""
    wrong = {problem.where for problem in problems}
    letter = request.GET.get("order", "")
    for shown in orders:
        for part in shown.parts:
            part.wrong = part.row in wrong
        shown.first = str(shown.order.pk) == letter or any(part.wrong for part in shown.parts)
        shown.open = shown.first or len(orders) <= FEW
    orders.sort(key=lambda shown: not shown.first)


@open_page
@by_link
def page(request, link, token: str):
    """Their open lines: what waits for them, what we have not decided, is confirmed; or what they carry."""
    if link.supplier.kind == Party.Kind.PROVIDER:
        return provider_page.provider_page(request, link, token)
    return _page(request, link, token)


@own_page
@require_POST
@by_link
def say(request, link, token: str):
    """A provider says when a leg is expected to begin or end."""
    return provider_page.say(request, link, token, _act(request, link, "date"))


@own_page
@require_POST
@by_link
def bill(request, link, token: str, charge_id: int):
    """A provider announces its bill for what we expect."""
    return provider_page.bill(request, link, token, _act(request, link, f"bill {charge_id}"), charge_id)


def _answer(request, link, token: str, rows_of_orders: dict[int, list]):
    """Record the answers, order by order; what is refused is said, and the others stay recorded."""
    problems = []
    today = timezone.localdate()
    for order, rows in rows_of_orders.items():
        asked = answers.AnswersRequest(
            order, request.POST.get("reference", "").replace("\x00", "")[:60], today, tuple(rows)
        )
        try:
            answers.record_answers(_act(request, link, str(order)), asked)
        except Refused as refused:
            problems += refused.problems
    if problems:
        return _page(request, link, token, problems, 422)
    messages.success(request, WORDS["done"] if rows_of_orders else WORDS["nothing"])
    return redirect("supplier", token)


@own_page
@require_POST
@by_link
def confirm_all(request, link, token: str):
    """Everything that waits, as it is asked."""
    rows = {
        shown.order.pk: [
            answers.AnswerRow(part.pk, part.quantity, part.asked_day, part.asked_price) for part in shown.waits
        ]
        for shown in shown_orders(link.supplier)
    }
    return _answer(request, link, token, {order: parts for order, parts in rows.items() if parts})


@own_page
@require_POST
@by_link
def answer(request, link, token: str, order_id: int):
    """The rows of one order: those that wait, or one that was confirmed and changes."""
    shown = _order(link, order_id)
    parts = (
        [part for part in [*shown.waits, *shown.confirmed] if f"quantity-{part.pk}" in request.POST] if shown else []
    )
    if not parts:
        messages.error(request, WORDS["nothing"])
        return redirect("supplier", token)
    try:
        rows = answer_rows(request.POST, parts)
    except Refused as refused:
        return _page(request, link, token, refused.problems, 422)
    return _answer(request, link, token, {order_id: list(rows)})


def _order(link, order_id: int) -> OrderShown | None:
    return next((one for one in shown_orders(link.supplier) if one.order.pk == order_id), None)


def _theirs(link, order_id: int) -> bool:
    """Whether it is an order that was sent to them."""
    return PurchaseOrder.objects.filter(pk=order_id, supplier=link.supplier, sent_at__isnull=False).exists()


@own_page
@require_POST
@by_link
def upload(request, link, token: str):
    """Answers as a file: all of it is recorded, or nothing and why."""
    form = FileForm(request.POST, request.FILES)
    orders = shown_orders(link.supplier)
    parts = [part for shown in orders for part in [*shown.waits, *shown.confirmed] if part.whole]
    try:
        if not form.is_valid():
            raise Refused("Choose a file that is not empty.")
        if form.cleaned_data["file"].size > LARGEST:
            raise Refused("The file is larger than 10 MB.")
        rows = file_rows(form.cleaned_data["file"].read(), parts)
    except Refused as refused:
        return _page(request, link, token, refused.problems, 422)
    return _answer(request, link, token, rows)


@own_page
@require_POST
@by_link
def despatch(request, link, token: str):
    """Take a supplier's despatch, as a form or as a file."""
    try:
        upload = request.FILES.get("file")
        parts = [part for order in shown_orders(link.supplier) for part in order.there]
        said = read_upload(upload, read_notice) if upload else despatch_said(request.POST, parts)
        despatch_notices.read(_act(request, link, "despatch"), despatch_notices.NoticeRequest(said, link.supplier_id))
    except Refused as refused:
        return _page(request, link, token, refused.problems, 422)
    messages.success(request, WORDS["done_despatch"])
    return redirect("supplier", token)


@own_page
@require_POST
@by_link
def take_back(request, link, token: str, case_id: int):
    """The supplier takes rejected units back under its own number, for a credit note or for goods in their place."""
    try:
        asked = taken_back(request.POST, case_id)
        if not Claim.objects.filter(pk=case_id, supplier=link.supplier).exists():
            raise Refused(WORDS["nothing"])
        authorise.authorise(_act(request, link, f"case{case_id}"), asked)
    except Refused as refused:
        return _page(request, link, token, refused.problems, 422)
    messages.success(request, WORDS["done_case"])
    return redirect("supplier", token)


@own_page
@require_POST
@by_link
def send_bill(request, link, token: str):
    """Take a supplier's bill, typed or attached; our accounts check it."""
    try:
        groups = to_bill(link.supplier)
        chosen = next(
            (lines for head, lines in groups.items() if f"{head[0]}-{head[1]}" == request.POST.get("of")), None
        )
        if chosen is None:
            raise Refused(WORDS["nothing"])
        upload = request.FILES.get("file")
        content = upload.read(LARGEST + 1) if upload else b""
        asked = KeepRequest(bill_said(request.POST, chosen), name=upload.name if upload else "", content=content)
        enter_bill(_act(request, link, "bill"), asked)
    except Refused as refused:
        return _page(request, link, token, refused.problems, 422)
    messages.success(request, WORDS["done_bill_sent"])
    return redirect("supplier", token)


@own_page
@require_POST
@by_link
def remark(request, link, token: str):
    """Words to the buyer, into the order's story."""
    form = RemarkForm(request.POST)
    if not form.is_valid() or not _theirs(link, form.cleaned_data["order"]):
        messages.error(request, WORDS["nothing"])
        return redirect("supplier", token)
    asked = remarks.RemarkRequest(form.cleaned_data["order"], form.cleaned_data["words"])
    return _said(request, token, lambda: remarks.remark(_act(request, link, "remark"), asked), "done_remark")


@own_page
@require_POST
@by_link
def document(request, link, token: str, order_id: int):
    """A document to an order."""
    form = FileForm(request.POST, request.FILES)
    if not form.is_valid() or not _theirs(link, order_id):
        messages.error(request, "Choose a file that is not empty.")
        return redirect("supplier", token)
    file = form.cleaned_data["file"]
    content = file.read(LARGEST + 1)
    asked = remarks.DocumentRequest(order_id, file.name, content)
    return _said(request, token, lambda: remarks.add_document(_act(request, link, "document"), asked), "done_document")


def _said(request, token: str, action, word: str):
    try:
        action()
        messages.success(request, WORDS[word])
    except Refused as refused:
        for problem in refused.problems:
            messages.error(request, str(problem))
    return redirect("supplier", token)


@open_page
@by_link
def paper(request, link, token: str, order_id: int, kind: str):
    """The order's papers as they were sent."""
    revision = Revision.objects.filter(order=order_id, order__supplier=link.supplier).order_by("-number").first()
    if revision is None:
        return render(request, "confirmations/supplier_page/gone.html", {"w": WORDS}, status=404)
    return paper_file(revision, kind)


@open_page
@by_link
def their_document(request, link, token: str, document_id: int):
    """A document that is shared with them."""
    mine = PurchaseOrder.objects.filter(supplier=link.supplier, sent_at__isnull=False).values("pk")
    found = Document.objects.filter(pk=document_id, kind="order", record__in=mine, shared=True).first()
    if found is None:
        return render(request, "confirmations/supplier_page/gone.html", {"w": WORDS}, status=404)
    return FileResponse(where(found.sha256).open("rb"), as_attachment=True, filename=found.name)


@open_page
@by_link
def template(request, link, token: str):
    """Their open lines as CSV, to be filled in and sent back."""
    lines = [csv_line(["order", "line", "item", "your_item", "quantity", "unit", "ready_on", "price", "remark"])]
    for shown in shown_orders(link.supplier):
        for part in [*shown.waits, *shown.confirmed]:
            if part.whole:
                cells = [shown.order.number, part.line.number, part.line.item.code, part.supplier_code]
                cells += [
                    part.quantity.normalize(),
                    part.line.item.unit,
                    part.asked_day,
                    part.asked_price.normalize(),
                    "",
                ]
                lines.append(csv_line(cells))
    answer = HttpResponse("\ufeff" + "".join(lines), content_type="text/csv; charset=utf-8")
    answer["Content-Disposition"] = 'attachment; filename="open-lines.csv"'
    return answer
