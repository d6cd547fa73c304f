"""Orders: lines with their strips, an order, a line, the supplier's answer."""

from django.contrib import messages
from django.http import JsonResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.utils import timezone
from django.views.decorators.http import require_POST

from northing.confirmations.models import Answer
from northing.core.money import minor_units
from northing.core.moves import PARTIES
from northing.core.ordering import net_amount
from northing.core.ownership import proposed_moment
from northing.core.problems import Refused
from northing.deeds import agreeing, ordering
from northing.desk.forms.base import act_of
from northing.desk.forms.orders import AnswersForm, LineFormSet, OrderForm, WholeForm, order_request
from northing.desk.queries import line_record
from northing.desk.queries.lines import PLACES, SORTS, filter_from, line_page
from northing.desk.queries.paging import page_of_rows
from northing.directory.models import Party
from northing.directory.queries import agreed_price, find_pack, scoped
from northing.directory.rights import companies_of, may
from northing.drawings.figures import written_price
from northing.orders.models import Instalment, OrderLine, PurchaseOrder
from northing.papers.queries import story_of

STEPS = {"check": ordering.check_order, "approve": ordering.approve_order, "send": ordering.send_order}


def lines(request):
    """The order lines, each with where its units are."""
    asked = filter_from(request.GET)
    page = line_page(request.GET, companies_of(request.user), timezone.localdate())
    context = {"rows": page.rows, "page": page, "asked": asked}
    choices = {"parties": PARTIES, "places": PLACES, "sorts": {name: words for name, (_, words) in SORTS.items()}}
    return render(request, "desk/lines.html", context | choices)


def orders(request):
    """Orders, newest first; drafts too."""
    found = scoped(PurchaseOrder.objects.select_related("supplier", "site", "buyer"), request.user)
    page = page_of_rows(found.order_by("-id"), request.GET)
    return render(request, "desk/orders.html", {"orders": page.rows, "page": page})


def new_order(request):
    """Write a draft."""
    if request.method != "POST":
        form, lines = OrderForm(person=request.user), LineFormSet(prefix="lines")
        return render(request, "desk/order_new.html", {"form": form, "lines": lines})
    form, lines = OrderForm(request.POST, person=request.user), LineFormSet(request.POST, prefix="lines")
    if lines.is_valid() and form.is_valid():
        forms_in_use = [line for line in lines if line.asked()]
        asked = [line.asked() for line in forms_in_use]
        order = form.do(request, ordering.write_order, lambda head: order_request(head, asked))
        if order:
            messages.success(request, "The draft is saved. Check it, then a second person approves it.")
            return redirect("order", order)
        _beside_lines(form, forms_in_use)
    return render(request, "desk/order_new.html", {"form": form, "lines": lines}, status=422)


def _beside_lines(form: OrderForm, lines) -> None:
    """Problems that name lines-N-field are shown at that field as well as above the form."""
    for problem in getattr(form, "refused", []):
        _, _, place = problem.where.partition("lines-")
        index, _, field = place.partition("-")
        if index.isdigit():
            lines[int(index)].add_error(field if field in LineFormSet.form.base_fields else None, str(problem))


def quote(request):
    """What the order form needs to know of an item while it is typed."""
    supplier = Party.objects.filter(kind="supplier", pk=_number(request.GET.get("supplier", ""))).first()
    try:
        item, scanned = find_pack(request.GET.get("item", "")[:40].replace("\x00", ""))
    except Refused as refused:
        return JsonResponse({"says": refused.problems[0].what}, status=404)
    agreement = agreed_price(supplier.pk, item.pk, timezone.localdate()) if supplier else None
    return JsonResponse(
        {
            "code": item.code,
            "description": item.description,
            "unit": scanned.name if scanned else item.unit,
            "packs": {pack.name: str(pack.factor.normalize()) for pack in item.packs.all()} | {item.unit: "1"},
            "price": written_price(agreement.price, supplier.currency) if agreement else "",
            "currency": supplier.currency if supplier else "",
            "decimals": minor_units(supplier.currency) if supplier else 2,
        }
    )


def _number(text: str) -> int:
    return int(text) if text.isascii() and text.isdigit() and len(text) < 15 else 0


def incoterm(request):
    """From when goods are ours, as the Incoterms rule proposes."""
    try:
        return JsonResponse({"ours_from": proposed_moment(request.GET.get("incoterm", ""))})
    except KeyError:
        return JsonResponse({"says": "Unknown Incoterms rule."}, status=404)


def _order(request, order_id: int) -> PurchaseOrder:
    found = PurchaseOrder.objects.select_related("company", "supplier", "site", "buyer", "checked_by", "approved_by")
    return get_object_or_404(scoped(found, request.user), pk=order_id)


def order(request, order_id: int):
    """An order: where it stands, its lines, the answers, its story."""
    record = _order(request, order_id)
    lines = list(record.lines.select_related("item").prefetch_related("instalments__position"))
    for line in lines:
        line.amount = net_amount(line.quantity, line.pack_factor, line.pack_price, line.discount, record.currency)
        line.checks = ordering.checks(line, timezone.localdate()) if not record.sent_at else []
    rights = {right: may(request.user, right, record.company_id) for right in ordering_rights}
    answers = Answer.objects.filter(instalment__line__order=record).select_related("instalment__line__item")
    context = {
        "order": record,
        "lines": lines,
        "total": sum(line.amount for line in lines),
        "rights": rights,
        "form": WholeForm(),
        "answers": [answer for answer in answers if answer.outcome == "open"],
        "story": story_of("order", record.pk, companies_of(request.user)),
    }
    return render(request, "desk/order.html", context)


ordering_rights = ("check_order", "approve_order", "send_order", "record_answer", "decide_answer")


@require_POST
def order_step(request, order_id: int, step: str):
    """Check, approve or send."""
    record = _order(request, order_id)
    form = WholeForm(request.POST)
    if form.do(request, STEPS[step], lambda _: ordering.OrderAct(record.pk)) is None:
        for error in form.non_field_errors() or ["Reload the page and try again."]:
            messages.error(request, error)
    else:
        messages.success(request, f"{record.number}: {step} done.")
    return redirect("order", record.pk)


def answer(request, order_id: int):
    """Record the supplier's answer."""
    record = _order(request, order_id)
    parts = [
        part
        for part in Instalment.objects.filter(line__order=record).select_related("line__item", "position")
        if part.position.with_supplier == part.quantity
    ]
    form = AnswersForm(request.POST or None, parts=parts, initial={"answered_on": timezone.localdate()})
    if request.method == "POST" and form.do(request, agreeing.record_answers, lambda _: form.asked(record.pk)):
        messages.success(request, f"The answer to {record.number} is recorded.")
        return redirect("order", record.pk)
    return render(request, "desk/answer.html", {"order": record, "form": form}, status=422 if form.errors else 200)


@require_POST
def decide(request, answer_id: int):
    """Accept or refuse what differs."""
    found = Answer.objects.select_related("instalment__line__order")
    record = get_object_or_404(scoped(found, request.user, "instalment__line__order__company"), pk=answer_id)
    decision = request.POST.get("decision")
    accept = decision == "accept"
    try:
        if decision not in ("accept", "refuse"):
            raise Refused("Say whether you accept or refuse this answer.")
        agreeing.decide_answer(act_of(request, request.POST.get("key", "")), agreeing.Decision(record.pk, accept))
        messages.success(request, "Accepted." if accept else "Refused: what was asked stands.")
    except Refused as refused:
        for problem in refused.problems:
            messages.error(request, str(problem))
    if request.POST.get("back") == "line":
        return redirect("line", record.instalment.line_id)
    return redirect("order", record.instalment.line.order_id)


def line(request, line_id: int):
    """A line: where every unit is, what was promised, what it cost, its story."""
    found = OrderLine.objects.select_related("order__supplier", "order__company", "order__site", "item")
    record = get_object_or_404(scoped(found, request.user, "order__company"), pk=line_id)
    context = line_record.gather(record)
    context |= {
        "open_answers": [answer for answer in context["answers"] if answer.outcome == "open"],
        "rights": {"decide_answer": may(request.user, "decide_answer", record.order.company_id)},
        "story": story_of("line", record.pk, companies_of(request.user)),
    }
    return render(request, "desk/line.html", context)
