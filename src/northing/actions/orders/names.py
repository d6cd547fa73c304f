"""Orders and lines by what people call them."""

from collections.abc import Iterable

from northing.orders.models import OrderLine, PurchaseOrder


class NoSuchOrder(Exception):
    """A name that none of the orders has, in words."""


def named_lines(names: Iterable[str], companies: Iterable[int]) -> tuple[tuple[int, ...], tuple[int, ...]]:
    """Ids of the orders named "PO-1" and of the lines named "PO-1/2", among orders of companies (ids).

    Raises NoSuchOrder.
    """
    orders, lines = [], []
    for name in names:
        number, _, line = name.rpartition("/")
        of_order = PurchaseOrder.objects.filter(company__in=list(companies))
        whole = of_order.filter(number=name).first()
        if whole is not None:
            orders.append(whole.pk)
            continue
        found = OrderLine.objects.filter(order__in=of_order.filter(number=number))
        key = found.filter(number=int(line)).first() if line.isascii() and line.isdigit() and len(line) < 5 else None
        if key is None:
            raise NoSuchOrder(f"There is no order or line {name}.")
        lines.append(key.pk)
    return tuple(orders), tuple(lines)
