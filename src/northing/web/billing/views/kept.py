"""Bills that are kept and not booked: what they say, why they wait, and the way on."""

from decimal import Decimal

from django import forms
from django.contrib import messages
from django.shortcuts import get_object_or_404, redirect, render

from northing.access.permissions import companies_of, may
from northing.actions.billing.keep import DropRequest, drop_bill, order_lines
from northing.billing.models import KeptBill
from northing.core.orders.orders import net_amount
from northing.orders.models import OrderLine
from northing.web.common.forms import ActionForm
from northing.web.common.history import history_for
from northing.web.common.paging import page_of_rows
from northing.web.common.permissions import acts_for, open_page


class DropForm(ActionForm):
    """Why a bill is not booked."""

    reason = forms.CharField(max_length=240, label="Why it is not to be booked", help_text="The supplier reads it.")


@open_page
def kept_bills(request):
    """Bills that are known and not booked, the newest first."""
    found = KeptBill.objects.filter(company__in=companies_of(request.user), state__in=KeptBill.OPEN)
    page = page_of_rows(found.select_related("company", "party"), request.GET, 50)
    return render(request, "billing/kept_bills.html", {"page": page})


def _row(line: OrderLine | None, said: dict) -> tuple[OrderLine | None, dict, Decimal | None]:
    """The order line of a kept line, what the paper says of it, and the amount of that; None without a price."""
    if line is None:
        return None, said, Decimal(said["amount"])
    price = said.get("price")
    factors = Decimal(said["quantity"]), line.pack_factor
    return line, said, price and net_amount(*factors, Decimal(price), Decimal(1), line.order.currency)


@acts_for("book_bill")
def kept_bill(request, kept_id: int):
    """A kept bill."""
    found = KeptBill.objects.filter(company__in=companies_of(request.user))
    record = get_object_or_404(found.select_related("company", "party", "bill", "entered_by"), pk=kept_id)
    form = DropForm(request.POST or None)
    if request.method == "POST" and form.do(
        request, drop_bill, lambda entered: DropRequest(record.pk, entered["reason"])
    ):
        messages.success(request, "The bill is not to be booked.")
        return redirect("kept-bill", record.pk)
    lines = OrderLine.objects.select_related("order", "item").in_bulk(order_lines(record.lines))
    context = {
        "kept": record,
        "rows": [_row(lines.get(one.get("order_line")), one) for one in record.lines],
        "form": form,
        "allowed": may(request.user, "book_bill", record.company_id),
        "history": history_for(request, "kept", record.pk),
    }
    return render(request, "billing/kept_bill.html", context, status=422 if form.errors else 200)
