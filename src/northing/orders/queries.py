"""Orders by their names, and the prices of their lines."""

from collections.abc import Iterable
from decimal import Decimal

from django.db.models import Q

from northing.orders.models import Instalment, OrderLine


def called(words: str) -> Q:
    """Orders whose number, our reference or the supplier's contains the words."""
    return Q(number__icontains=words) | Q(reference__icontains=words) | Q(supplier_reference__icontains=words)


def never_sold(supplier: int, items: Iterable[int]) -> set[int]:
    """Items (ids) of which no order was ever sent to the supplier (id)."""
    lines = OrderLine.objects.filter(order__supplier=supplier, item__in=list(items), order__sent_at__isnull=False)
    return set(items) - set(lines.values_list("item", flat=True))


def first_prices(lines: Iterable[int]) -> dict[int, tuple[Decimal, Decimal]]:
    """By line (id), the price per pack of its first instalment that is not taken back, and what is paid of it."""
    found = Instalment.objects.filter(line__any_of=list(lines), quantity__gt=0).order_by("line", "number")
    rows = found.distinct("line").values_list("line", "pack_price", "net_share")
    return {line: (price, share) for line, price, share in rows}
