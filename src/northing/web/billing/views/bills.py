"""Bills: what is owned and not billed, bills as booked, a bill entered and reversed."""

import uuid
from decimal import Decimal

from django import forms
from django.contrib import messages
from django.db.models import DecimalField, Exists, OuterRef, Q, Sum, Value
from django.db.models.functions import Coalesce
from django.shortcuts import get_object_or_404, redirect, render
from django.utils import timezone
from django.views.decorators.http import require_POST

from northing.access.permissions import companies_of, may
from northing.actions.billing.approve import ApproveRequest, BlockRequest, approve_bill, block_bill, end_dispute
from northing.actions.billing.bills import book_bill, foresee, reverse_bill
from northing.billing.models import Bill, BillLinePart
from northing.core.problems import Refused
from northing.ledger.models import Account, OpenItem
from northing.ledger.queries import posting_note
from northing.orders.models import OrderLine
from northing.reports.settlement import settlements
from northing.web.billing.forms.charges import BillForm
from northing.web.billing.proposed import proposed, waiting_payees
from northing.web.billing.views.papers import attach
from northing.web.common.addresses import address_of
from northing.web.common.back import way_back
from northing.web.common.forms import ActionForm, say_errors
from northing.web.common.history import history_for
from northing.web.common.paging import page_of_rows
from northing.web.common.permissions import acts_by, acts_for, form_for, open_page
from northing.web.common.reversals import is_reversing, reversal_page, say_done
from northing.web.shipping.views.shipments import visible_shipments

# How many shipments are offered while one types; any other is taken as well.
LATEST = 40
FIRST_ROWS = 3


def visible_bills(person):
    """Bills of the person's companies, and those of which they bear a part."""
    mine = companies_of(person)
    parts = BillLinePart.objects.filter(line__bill=OuterRef("pk"), company__in=mine)
    return Bill.objects.filter(Q(company__in=mine) | Exists(parts))


@open_page
def bills(request):
    """Bills as booked, and goods owned and not billed yet, line by line."""
    mine = companies_of(request.user)
    owned = OpenItem.objects.filter(account=Account.OWNED_NOT_BILLED, company__in=mine)
    owned = owned.values("order_line", "company__currency", "order_line__order__currency").annotate(
        in_base=Sum("base"), foreign=Sum("amount")
    )
    page = page_of_rows(owned.exclude(in_base=0).order_by("in_base", "order_line"), request.GET)
    rows = page.rows
    lines = OrderLine.objects.select_related("order__supplier", "item", "summary").in_bulk(
        [row["order_line"] for row in rows]
    )
    for row in rows:
        row["line"] = lines[row["order_line"]]
    found = (
        visible_bills(request.user).select_related("party").prefetch_related("lines__charge").order_by("-day", "-pk")
    )
    booked = page_of_rows(found, request.GET, 20, name="bills")
    left = settlements(booked.rows)
    for one in booked.rows:
        one.left = left[one.pk].left
        kinds = (line.charge.get_kind_display().lower() if line.charge else "goods" for line in one.lines.all())
        one.for_what = ", ".join(dict.fromkeys(kinds))
    return render(request, "billing/bills.html", {"booked": booked, "owned": rows, "page": page})


@form_for("book_bill")
def new_bill(request):
    """Enter a bill with its lines; what it does is shown before it is booked."""
    rows = request.POST.get("rows", "")
    rows = int(rows) if rows.isascii() and rows.isdigit() and len(rows) < 3 else FIRST_ROWS
    if request.POST.get("act") == "another":
        rows += 1
    initial = {"day": timezone.localdate(), "kind": Bill.Kind.BILL} | proposed(request)
    if request.method != "POST":
        rows = max(rows, initial.get("rows", 0))
    form = BillForm(request.POST or None, person=request.user, rows=rows, initial=initial)
    context = {"form": form, "latest": latest_shipments(request.user)}
    context["waiting"] = waiting_payees(request.user)
    entered = request.method == "POST" and request.POST.get("act") != "another"
    if entered and form.is_valid():
        if request.POST.get("act") == "book":
            booked = form.do(request, book_bill, lambda _: form.asked())
            if booked:
                attach(request, form, booked)
                note = posting_note([form.cleaned_data["company"].pk], form.cleaned_data["day"])
                say_done(request, f"Booked and spread{note}.", "bill", booked)
                return redirect("bill", booked)
        else:
            context |= _effect(form)
    if request.POST.get("act") == "another":
        form.errors.clear()  # a further row is asked for; nothing is booked yet
    return render(request, "billing/new_bill.html", context, status=422 if form.errors else 200)


def latest_shipments(person):
    """The shipments that are offered while one types."""
    return visible_shipments(person).order_by("-pk")[:LATEST]


def _effect(form: BillForm) -> dict:
    """The effect of booking, or the refusal on the form."""
    try:
        return {"plans": foresee(form.asked()).plans}
    except Refused as refused:
        form.take(refused)
        return {}


# The effect of reversing a bill, and (True) a credit note.
REVERSED = {
    False: "No one is owed by it any more. Its goods may be billed again, and its estimates are expected again.",
    True: "Nothing is owed to us by it any more. The claims and disputes that it ended are open again.",
}


@acts_for("book_bill")
def bill(request, bill_id: int):
    """A bill: its lines, who bears them, its postings, and the way back."""
    related = ("party", "company", "entry__history", "entered_by", "approved_by")
    found = visible_bills(request.user).select_related(*related)
    record = get_object_or_404(found, pk=bill_id)
    if is_reversing(request):
        credit = record.kind == Bill.Kind.CREDIT
        title = f"Reverse the {'credit note' if credit else 'bill'} {record.number}"
        done = "The bill is reversed. Its charges are expected again as they were estimated."
        back = address_of("bill", record.pk)
        return reversal_page(request, title, reverse_bill, record, back, done, REVERSED[credit])
    context = {
        "bill": record,
        "lines": _lines(record),
        "settlement": settlements([record])[record.pk],
        "paid": record.payment_parts.filter(payment__reversed_by=None).select_related("payment").order_by("pk"),
        "acts": _acts(request.user, record),
        "key": uuid.uuid4().hex,
        "allowed": may(request.user, "book_bill", record.company_id),
        "history": history_for(request, "bill", record.pk),
    }
    return render(request, "billing/bill.html", context)


def _lines(bill: Bill):
    """The lines; of goods with the difference of their price, and how many units are not ours yet."""
    ours = Coalesce(Sum("goods__units"), Value(Decimal(0)), output_field=DecimalField())
    found = bill.lines.select_related("charge", "case", "order_line__order", "order_line__item").order_by("number")
    lines = list(found.annotate(difference=Sum("goods__difference"), ours=ours))
    for line in lines:
        line.ahead = line.quantity - line.ours if line.order_line_id and not bill.reversed_by_id else 0
    return lines


def _acts(person, bill: Bill) -> dict[str, bool]:
    """What the person may do with a bill that stands."""
    waits = bill.needs_approval and not bill.approved_by_id and bill.entered_by_id != person.pk
    return {
        "approve": waits and may(person, "approve_bill", bill.company_id),
        "book": may(person, "book_bill", bill.company_id),
    }


class BlockForm(ActionForm):
    """Why a bill is not paid for now; empty to let it be paid again."""

    reason = forms.CharField(max_length=120, required=False)


ACTS = {
    "approve": ("approve_bill", approve_bill, "The bill is approved for payment."),
    "end-dispute": ("book_bill", end_dispute, "The disputed amount may be paid."),
    "block": ("book_bill", block_bill, "Saved."),
}


@acts_by("act", {act: permission for act, (permission, *_) in ACTS.items()})
@require_POST
def bill_act(request, bill_id: int, act: str):
    """Approve a bill, keep it back, or end its dispute."""
    record = get_object_or_404(visible_bills(request.user), pk=bill_id)
    form = BlockForm(request.POST)
    _, action, words = ACTS[act]

    def asked(entered: dict):
        return BlockRequest(record.pk, entered["reason"]) if act == "block" else ApproveRequest(record.pk)

    if form.do(request, action, asked):
        messages.success(request, words)
    else:
        say_errors(request, form)
    return way_back(request, "bill", record.pk)
