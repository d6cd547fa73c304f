"""What was settled: bills, credit notes and advances, when, by what, and what exchange came of it."""

from collections.abc import Iterable
from datetime import date

from django.db.models import F, QuerySet

from northing.payments.models import PaymentPart


def settled_items(
    companies: Iterable[int], first: date | None, through: date | None, party: int | None = None
) -> QuerySet[PaymentPart]:
    """Parts of standing payments, the newest first; `difference` is what the money was worth beyond the item."""
    found = PaymentPart.objects.filter(payment__company__in=list(companies), payment__reversed_by=None)
    for name, value in (("payment__day__gte", first), ("payment__day__lte", through), ("payment__party", party)):
        if value is not None:
            found = found.filter(**{name: value})
    found = found.select_related("payment__company", "payment__party", "bill", "order")
    return found.annotate(difference=F("paid_base") - F("base")).order_by("-payment__day", "-pk")
