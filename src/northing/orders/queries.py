"""Orders by what they are called."""

from collections.abc import Iterable

from django.db.models import Q

from northing.orders.models import OrderLine


def called(words: str) -> Q:
    """Orders whose number, our reference or the supplier's contains the words."""
    return Q(number__icontains=words) | Q(reference__icontains=words) | Q(supplier_reference__icontains=words)


def never_sold(supplier: int, items: Iterable[int]) -> set[int]:
    """Items (ids) of which no order was ever sent to the supplier (id)."""
    lines = OrderLine.objects.filter(order__supplier=supplier, item__in=list(items), order__sent_at__isnull=False)
    return set(items) - set(lines.values_list("item", flat=True))
