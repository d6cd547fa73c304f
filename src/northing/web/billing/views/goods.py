"""A supplier's bill for goods: what fits is proposed; what it does is shown before it is booked."""

from csp.decorators import csp_update
from django.contrib import messages
from django.db.models import Q
from django.shortcuts import redirect, render
from django.utils import timezone

from northing.access.permissions import companies_of
from northing.actions.billing.bills import book_bill
from northing.actions.billing.keep import KeepRequest, keep_bill, order_lines
from northing.actions.billing.trial import try_bill
from northing.activity.documents import where
from northing.activity.models import Document
from northing.activity.pdf_pages import page_count
from northing.billing.models import KeptBill
from northing.core.problems import Refused
from northing.ledger.queries import posting_note
from northing.orders.models import OrderLine
from northing.receiving.models import Receipt
from northing.reports.billable import Billable, Start, billable, unbilled_suppliers
from northing.reports.fitting_bills import fitting_bills
from northing.web.billing.forms.goods import GoodsBillForm, initial_of
from northing.web.billing.views.papers import attach
from northing.web.common.forms import act_of, asks_only
from northing.web.common.keys import key_of, keys_of
from northing.web.common.permissions import form_for
from northing.web.common.reversals import say_done

# Order lines that a bill from a file may name.
MOST_LINES = 500
KEEPS = {
    "wait": "The bill is kept. The Watch says when its goods are ours.",
    "back": "The bill is kept as sent back, and the supplier is told.",
}
STARTS = ("order", "receipt", "shipment", "supplier", "company")


# The paper that is chosen is shown beside the form out of the browser's own memory.
@csp_update({"frame-src": ["blob:"], "img-src": ["blob:"]})
@form_for("book_bill")
def supplier_bill(request):
    """Enter a supplier's bill, from an order, a receipt, a shipment or the supplier."""
    mine = companies_of(request.user)
    start = Start(**{name: key_of(request.GET.get(name, "")) or None for name in STARTS})
    given = keys_of(request.GET.get("lines", "").split("."))[:MOST_LINES]
    kept = _kept(request, mine)
    if kept:
        given = order_lines(kept.lines)
    if given:
        start = Start(company=start.company)
    elif kept:
        start = Start(supplier=kept.party_id, company=kept.company_id)
    wanted = _named_lines(request, mine) + given
    starts = any((start.order, start.receipt, start.shipment, start.supplier, wanted))
    lines = billable(start, mine, wanted) if starts else []
    heads = _heads(lines)
    chosen = _chosen(request, heads)
    if chosen is None:
        said = request.GET.get("find", "").strip()[:60]
        context = {"heads": heads, "start": start, "unbilled": unbilled_suppliers(mine) if not heads else []}
        context |= {"said": said, "fitting": fitting_bills(said, mine)}
        return render(request, "billing/start_bill.html", context)
    lines = [one for one in lines if _head(one) == chosen]
    initial = {"day": timezone.localdate(), "bill_number": _number(start, mine)} | (initial_of(kept) if kept else {})
    form = GoodsBillForm(request.POST or None, request.FILES or None, lines=lines, initial=initial)
    order = lines[0].line.order
    context = {"form": form, "order": order, "start": start, "lines": lines, "kept": kept}
    context["papers"] = papers_of(kept) if kept else []
    act = request.POST.get("act", "")
    if request.method == "POST" and act in KEEPS:
        found = form.do(request, keep_bill, lambda entered: KeepRequest(form.asked(), act == "back", entered["why"]))
        if found:
            messages.success(request, KEEPS[act])
            return redirect("kept-bill", found)
    elif request.method == "POST" and act == "book":
        booked = form.do(request, book_bill, lambda _: form.asked())
        if booked:
            attach(request, form, booked)
            note = posting_note([order.company_id], form.cleaned_data["day"])
            say_done(request, f"Booked the bill{note}.", "bill", booked)
            return redirect("bill", booked)
    elif request.method == "POST":
        _show(request, form, context)
    context["asks"] = asks_only(form)
    return render(request, "billing/supplier_bill.html", context, status=422 if form.errors else 200)


def _kept(request, companies) -> KeptBill | None:
    """The kept bill that is booked, if one is named."""
    key = key_of(request.GET.get("kept", ""))
    return KeptBill.objects.filter(pk=key, company__in=companies, state__in=KeptBill.OPEN).first() if key else None


def papers_of(kept: KeptBill) -> list[tuple[Document, range]]:
    """The papers of a kept bill, each with the pages of it that can be drawn."""
    found = Document.objects.filter(kind="kept", record=kept.pk)
    return [(one, range(1, 1 + (page_count(where(one.sha256)) if one.paged else 0))) for one in found]


def _show(request, form: GoodsBillForm, context: dict) -> None:
    """The effect of the bill as it is typed; what is still missing is not complained of."""
    form.is_valid()
    form.errors.pop("bill_number", None)
    if not form.errors:
        try:
            context["trial"] = try_bill(act_of(request), form.asked())
        except Refused as refused:
            context["stops"] = refused.problems


Head = tuple[int, int, str]


def _head(one: Billable) -> Head:
    order = one.line.order
    return order.company_id, order.supplier_id, order.currency


def _heads(lines: list[Billable]) -> dict[Head, Billable]:
    """The bills that these lines could be of: by company, supplier and currency."""
    found: dict[Head, Billable] = {}
    for one in lines:
        found.setdefault(_head(one), one)
    return found


def _chosen(request, heads: dict[Head, Billable]) -> Head | None:
    if len(heads) == 1:
        return next(iter(heads))
    said = tuple(request.GET.get(name, "") for name in ("company", "supplier", "currency"))
    return next((head for head in heads if said == (str(head[0]), str(head[1]), head[2])), None)


def _named_lines(request, companies) -> list[int]:
    """Order lines (ids) that are named on the page: PO-1/2, or a whole order."""
    names = request.POST.get("add", "").replace("\x00", "").replace(",", " ").split()[:50]
    which = Q(pk__in=[])
    for name in names:
        order, _, number = name.partition("/")
        which |= Q(order__number__iexact=order) & (Q(number=number) if key_of(number) else Q())
    return list(OrderLine.objects.filter(which, order__company__in=companies).values_list("pk", flat=True)[:200])


def _number(start: Start, companies) -> str:
    """The number that came along with the goods."""
    if not start.receipt:
        return ""
    found = Receipt.objects.filter(pk=start.receipt, company__in=companies)
    return found.values_list("supplier_bill", flat=True).first() or ""
