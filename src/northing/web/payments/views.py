"""Payments: what is open and due, bills paid many at once or one by one, and payments as made."""

from datetime import date

from django.contrib import messages
from django.db.models import Sum
from django.http import HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.utils import timezone

from northing.access.permissions import companies_of, may
from northing.actions.payments.pay import pay, reverse_payment
from northing.actions.payments.pay_many import pay_many
from northing.billing.models import Bill
from northing.core.money.periods import day_problems
from northing.masterdata.models import Company, Party
from northing.orders.models import PurchaseOrder
from northing.payments.models import Payment
from northing.reports.aging import aging
from northing.reports.open_bills import open_bills, with_settlement
from northing.reports.remittance import remittance_advice
from northing.web.common.forms import say_errors
from northing.web.common.history import history_for
from northing.web.common.keys import key_of, keys_of
from northing.web.common.paging import page_of_rows
from northing.web.common.permissions import acts_for, form_for, open_page
from northing.web.common.reversals import ReasonForm, say_done
from northing.web.payments.forms import PayForm, PayManyForm


def visible_payments(person):
    """Payments of the person's companies."""
    return Payment.objects.filter(company__in=companies_of(person))


def _by(request):
    """The day that is asked for; None where none is, or a strange one."""
    try:
        day = date.fromisoformat(request.GET.get("by", ""))
    except ValueError:
        return None
    return None if day_problems(day, "by") else day


@acts_for("pay")
def open_items(request):
    """Bills of which something is owed, by due day; those that are ticked are paid together."""
    today = timezone.localdate()
    form = PayManyForm(request.POST or None, initial={"day": today, "discounts": True})
    if request.method == "POST":
        made = form.do(request, pay_many, lambda _: form.asked())
        if made:
            words = "1 payment is" if len(made) == 1 else f"{len(made)} payments are"
            bills = len(keys_of(request.POST.getlist("bill")))
            messages.success(request, f"{bills} {'bill is' if bills == 1 else 'bills are'} paid; {words} made.")
            return redirect("payments")
        say_errors(request, form)
    by, mine = _by(request), companies_of(request.user)
    found = open_bills(mine, by)
    company, party = key_of(request.GET.get("company", "")), key_of(request.GET.get("party", ""))
    found = found.filter(company=company) if company else found
    found = found.filter(party=party) if party else found
    page = page_of_rows(found, request.GET, 100)
    context = {
        "form": form,
        "page": page,
        "rows": with_settlement(page.rows, today),
        "by": by,
        "aging": aging(mine, today),
        "companies": Company.objects.filter(pk__in=mine),
        "asked": {"company": company, "party": party},
        "parties": Party.objects.filter(pk__in=open_bills(mine).values("party")).order_by("name")[:500],
    }
    return render(request, "payments/open_bills.html", context, status=422 if form.errors else 200)


@form_for("pay")
def new_payment(request):
    """Pay one party: some of its bills, with the bank's figures; or in advance on an order."""
    mine, today = companies_of(request.user), timezone.localdate()
    order, bills = None, []
    if key := key_of(request.GET.get("order", "")):
        order = get_object_or_404(PurchaseOrder.objects.select_related("company", "supplier"), pk=key, company__in=mine)
    elif not key_of(request.GET.get("bill", "")):
        messages.error(request, "Choose the bill that is paid.")
        return redirect("open-bills")
    else:
        first = get_object_or_404(Bill, pk=key_of(request.GET.get("bill", "")), company__in=mine)
        found = open_bills([first.company_id]).filter(party=first.party_id, currency=first.currency)
        bills = with_settlement(list(found.filter(pk=first.pk)), today)
        if not bills:
            messages.error(request, f"Nothing of {first} is open.")
            return redirect("bill", first.pk)
    form = PayForm(request.POST or None, bills=bills, order=order, initial={"day": today})
    if request.method == "POST":
        made = form.do(request, pay, lambda _: form.asked())
        if made:
            say_done(request, "Paid.", "payment", made)
            return redirect("payment", made)
    context = {"form": form, "order": order}
    return render(request, "payments/pay.html", context, status=422 if form.errors else 200)


@open_page
def payments(request):
    """Payments as made, the newest first."""
    found = visible_payments(request.user).select_related("company", "party").order_by("-day", "-pk")
    page = page_of_rows(found, request.GET, 50)
    return render(request, "payments/payments.html", {"page": page})


@acts_for("pay")
def payment(request, payment_id: int):
    """A payment: what it paid, what it cost, its postings, and the way back."""
    found = visible_payments(request.user).select_related("company", "party", "account", "entered_by", "entry")
    record = get_object_or_404(found, pk=payment_id)
    form = ReasonForm(request.POST or None)
    if request.method == "POST" and form.do(request, reverse_payment, form.reversing(record.pk)):
        messages.success(request, "The payment is reversed. Its bills are open again.")
        return redirect("payment", record.pk)
    parts = record.parts.select_related("bill", "order").order_by("pk")
    context = {
        "payment": record,
        "parts": parts,
        "discount": parts.aggregate(total=Sum("discount"))["total"],
        "form": form,
        "allowed": may(request.user, "pay", record.company_id) and not record.reversed_by_id,
        "history": history_for(request, "payment", record.pk),
    }
    return render(request, "payments/payment.html", context, status=422 if form.errors else 200)


@open_page
def remittance(request, payment_id: int):
    """The remittance advice of a payment, as a PDF."""
    found = visible_payments(request.user).select_related("company", "party", "account")
    paper = remittance_advice(get_object_or_404(found, pk=payment_id))
    return HttpResponse(paper, content_type="application/pdf")
