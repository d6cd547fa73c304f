"""A supplier's credit note: for claims, and off the price of goods that were billed."""

from django.contrib import messages
from django.shortcuts import get_object_or_404, redirect, render
from django.utils import timezone

from northing.access.permissions import companies_of
from northing.actions.billing.bills import book_bill
from northing.billing.models import Bill
from northing.claims.models import Claim
from northing.ledger.queries import posting_note
from northing.masterdata.models import Party
from northing.orders.models import PurchaseOrder
from northing.reports.creditable import From, creditable
from northing.web.billing.forms.credits import CreditForm
from northing.web.common.keys import key_of
from northing.web.common.permissions import form_for
from northing.web.common.reversals import say_done


@form_for("book_bill")
def credit_note(request):
    """Enter a credit note, from a bill, a case or an order."""
    start = _start(request)
    if start is None:
        messages.error(request, "Choose the bill, the case or the order that is credited.")
        return redirect("bills")
    lines = creditable(start)
    form = CreditForm(request.POST or None, start=start, lines=lines, initial={"day": timezone.localdate()})
    if request.method == "POST":
        booked = form.do(request, book_bill, lambda _: form.asked())
        if booked:
            note = posting_note([start.company], form.cleaned_data["day"])
            words = f"Booked the credit note{note}. Set it off when you pay, or take the money back."
            say_done(request, words, "bill", booked)
            return redirect("bill", booked)
    context = {"form": form, "start": start, "lines": lines, "supplier": Party.objects.get(pk=start.supplier)}
    return render(request, "billing/credit_note.html", context, status=422 if form.errors else 200)


def _start(request) -> From | None:
    """Where one starts, within the person's companies."""
    mine = companies_of(request.user)
    if key := key_of(request.GET.get("bill", "")):
        bill = get_object_or_404(Bill, pk=key, company__in=mine)
        return From(bill.company_id, bill.party_id, bill.currency, bill=key)
    if key := key_of(request.GET.get("case", "")):
        cases = Claim.objects.select_related("layer__shipment_line__instalment__line__order")
        order = get_object_or_404(cases, pk=key, company__in=mine).layer.shipment_line.instalment.line.order
        return From(order.company_id, order.supplier_id, order.currency, case=key)
    if key := key_of(request.GET.get("order", "")):
        order = get_object_or_404(PurchaseOrder, pk=key, company__in=mine)
        return From(order.company_id, order.supplier_id, order.currency, order=key)
    return None
