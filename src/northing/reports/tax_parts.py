"""Which part of a price was tax on the last bill of its goods."""

from collections.abc import Iterable
from decimal import Decimal

from django.db.models import F

from northing.billing.models import Bill, BillLine


def tax_parts(lines: Iterable[int]) -> dict[int, Decimal]:
    """By order line (id) the tax of the last standing bill that billed it, as a part of what it says without tax."""
    found = BillLine.objects.filter(order_line__in=set(lines), bill__reversed_by=None, bill__kind=Bill.Kind.BILL)
    rows = found.filter(bill__total__gt=F("bill__tax")).order_by("bill")
    return {
        line: tax / (total - tax) for line, tax, total in rows.values_list("order_line", "bill__tax", "bill__total")
    }
