"""A supplier's credit note: for claims, and off the price of goods that were billed."""

from decimal import Decimal

from django.contrib import messages
from django.shortcuts import get_object_or_404, redirect, render
from django.utils import timezone

from northing.access.permissions import companies_of
from northing.actions.billing.bills import book_bill
from northing.billing.models import Bill
from northing.claims.models import Claim, GoodsReturn
from northing.core.money.exact import plain
from northing.ledger.queries import posting_note
from northing.masterdata.models import Party
from northing.orders.models import PurchaseOrder
from northing.reports.creditable import From, creditable, proposed_tax
from northing.web.billing.forms.credits import CreditForm
from northing.web.billing.views.papers import attach
from northing.web.common.keys import key_of, keys_of
from northing.web.common.permissions import form_for
from northing.web.common.reversals import say_done

# Order lines that a credit note from a file may name.
MOST = 500


@form_for("book_bill")
def credit_note(request):
    """Enter a credit note, from a bill, a case or an order."""
    start = _start(request)
    if start is None:
        messages.error(request, "Choose the bill, the case or the order that is credited.")
        return redirect("bills")
    lines = creditable(start)
    initial: dict[str, object] = {"day": timezone.localdate(), "tax": _shown(proposed_tax(start, lines))}
    form = CreditForm(request.POST or None, request.FILES or None, start=start, lines=lines, initial=initial)
    if request.method == "POST":
        booked = form.do(request, book_bill, lambda _: form.asked())
        if booked:
            attach(request, form, booked)
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
        return From(order.company_id, order.supplier_id, order.currency, cases=(key,))
    if key := key_of(request.GET.get("return", "")):
        return _of_return(get_object_or_404(GoodsReturn, pk=key, company__in=mine))
    if keys := keys_of(request.GET.get("lines", "").split("."))[:MOST]:
        first = get_object_or_404(PurchaseOrder, lines=keys[0], company__in=mine)
        return From(first.company_id, first.supplier_id, first.currency, lines=tuple(keys))
    if key := key_of(request.GET.get("order", "")):
        order = get_object_or_404(PurchaseOrder, pk=key, company__in=mine)
        return From(order.company_id, order.supplier_id, order.currency, order=key)
    return None


def _shown(value: Decimal) -> str:
    return plain(value) if value else ""


def _of_return(made: GoodsReturn) -> From | None:
    """The claims that a return made; those in the currency of its first line."""
    order = "case__layer__shipment_line__instalment__line__order__currency"
    notes = made.notes.filter(reversed_by=None).order_by("pk")
    rows = list(notes.values_list("case", order))
    if not rows:
        return None
    currency = rows[0][1]
    cases = tuple(case for case, own in rows if own == currency)
    return From(made.company_id, made.supplier_id, currency, cases=cases)
