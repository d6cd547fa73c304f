"""Find the order line that a row of a file is about, by number, item code, GTIN or supplier's code."""

from collections.abc import Iterable, Mapping
from typing import Protocol

from northing.masterdata.models import Agreement, Pack
from northing.orders.models import OrderLine


class Row(Protocol):
    """A row that names an order, and a line of it, an item, or both."""

    @property
    def order(self) -> str: ...
    @property
    def line(self) -> str: ...
    @property
    def item(self) -> str: ...


def lines_named(rows: Iterable[Row]) -> list[int | None]:
    """For each row the line (id) of a sent order that it is about, where exactly one fits."""
    rows = list(rows)
    lines = OrderLine.objects.filter(
        order__number__in={row.order.upper() for row in rows}, order__sent_at__isnull=False
    ).values_list("pk", "order__number", "number", "item", "item__code")
    by_order: dict[str, list[tuple]] = {}
    for key, order, *rest in lines:
        by_order.setdefault(order.upper(), []).append((key, *rest))
    names = _names({item for some in by_order.values() for _, _, item, _ in some})
    return [_line_of(row, by_order.get(row.order.upper(), []), names) for row in rows]


def _names(items: set[int]) -> dict[int, set[str]]:
    """By what else the items are called: GTINs and the suppliers' own codes."""
    names: dict[int, set[str]] = {}
    for item, gtin in Pack.objects.filter(item__in=items, gtin__isnull=False).values_list("item", "gtin"):
        names.setdefault(item, set()).update({gtin, gtin.lstrip("0")})
    for item, code in (
        Agreement.objects.filter(item__in=items).exclude(supplier_code="").values_list("item", "supplier_code")
    ):
        names.setdefault(item, set()).add(code.upper())
    return names


def _line_of(row: Row, lines: list[tuple], names: Mapping[int, set[str]]) -> int | None:
    item = row.item.upper()
    fitting = [
        key
        for key, number, of_item, code in lines
        if (not row.line or row.line.lstrip("0") == str(number))
        and (not item or item == code.upper() or item in names.get(of_item, ()))
    ]
    return fitting[0] if len(fitting) == 1 else None
