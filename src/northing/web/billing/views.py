"""Bills as booked, and what is owned and not billed."""

from django.db.models import Sum
from django.shortcuts import render

from northing.access.permissions import companies_of
from northing.costing.models import Charge
from northing.ledger.models import Account, OpenItem
from northing.orders.models import OrderLine
from northing.web.common.paging import page_of_rows
from northing.web.common.permissions import open_page
from northing.web.reports.views import SHOWN


@open_page
def bills(request):
    """Provider bills as booked, and goods owned and not billed yet, line by line."""
    mine = companies_of(request.user)
    booked = Charge.objects.filter(billed__isnull=False, parts__company__in=mine).distinct()
    owned = OpenItem.objects.filter(account=Account.OWNED_NOT_BILLED, company__in=mine)
    owned = owned.values("order_line", "company__currency", "order_line__order__currency").annotate(
        in_base=Sum("base"), foreign=Sum("amount")
    )
    page = page_of_rows(owned.exclude(in_base=0).order_by("in_base", "order_line"), request.GET)
    rows = page.rows
    lines = OrderLine.objects.select_related("order__supplier", "item").in_bulk([row["order_line"] for row in rows])
    for row in rows:
        row["line"] = lines[row["order_line"]]
    context = {"booked": booked.select_related("payee").order_by("-billed_on", "-pk")[:SHOWN], "owned": rows}
    return render(request, "billing/bills.html", context | {"page": page})
