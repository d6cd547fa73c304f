"""The contents of a revision: plain words and exact numbers as text, to be read years later."""

from datetime import timedelta
from decimal import Decimal
from typing import Any

from northing.core.orders.orders import net_amount, net_share, order_sums
from northing.masterdata.models import Agreement
from northing.orders.models import ADDRESSES, Instalment, OrderLine, PurchaseOrder

ZERO = Decimal(0)


def snapshot(order: PurchaseOrder) -> dict[str, Any]:
    """The order as it stands, without what was cancelled of it."""
    asked: dict[int, list[dict[str, str]]] = {}
    cancelled: dict[int, Decimal] = {}
    parts = Instalment.objects.filter(line__order=order).select_related("position").order_by("line", "number")
    for part in parts:
        dropped = part.position.dropped if hasattr(part, "position") else ZERO
        cancelled[part.line_id] = cancelled.get(part.line_id, ZERO) + dropped
        day, units = (part.promise or part.asked_on).isoformat(), part.quantity - dropped
        if units > 0:
            asked.setdefault(part.line_id, []).append({"quantity": str(units), "ready_on": day})
    lines = [
        (line, left)
        for line in order.lines.select_related("item").order_by("number")
        if (left := line.quantity - cancelled.get(line.pk, ZERO)) > 0
    ]
    codes = _supplier_codes(order)
    return _head(order) | {
        "sums": _sums(order, lines),
        "lines": [_line(order, line, left, codes, asked.get(line.pk)) for line, left in lines],
    }


def _supplier_codes(order: PurchaseOrder) -> dict[int, str]:
    found = Agreement.objects.filter(supplier=order.supplier, item__order_lines__order=order)
    return dict(found.order_by("valid_from").values_list("item", "supplier_code"))


def _head(order: PurchaseOrder) -> dict[str, Any]:
    return {
        "number": order.number,
        "company": {"name": order.company.name, "country": order.company.country},
        "site": order.site.name,
        "buyer": str(order.buyer),
        "supplier": order.supplier.name,
        "supplier_city": order.supplier.city,
        "supplier_country": order.supplier.country,
        "currency": order.currency,
        "incoterms": f"{order.incoterm} {order.incoterm_place}".strip(),
        "mode": order.mode,
        "reference": order.reference,
        "supplier_reference": order.supplier_reference,
        "remark": order.remark,
        "payment": order.supplier.payment_terms.name if order.supplier.payment_terms else "",
        "need_by": order.need_by.isoformat(),
        "answer_by": order.answer_by.isoformat() if order.answer_by else "",
        "discount": str(order.discount),
        "surcharge": str(order.surcharge),
        "tax_rate": str(order.tax_rate),
    } | {name: getattr(order, name) for name in ADDRESSES}


def _sums(order: PurchaseOrder, lines: list[tuple[OrderLine, Decimal]]) -> dict[str, str]:
    rows = [(left, line.pack_factor, line.pack_price, line.discount) for line, left in lines]
    found = order_sums(rows, order.discount, order.surcharge, order.tax_rate, order.currency)
    return {name: str(value) for name, value in found._asdict().items()}


def _line(
    order: PurchaseOrder, line: OrderLine, left: Decimal, codes: dict[int, str], parts: list[dict[str, str]] | None
) -> dict[str, Any]:
    """A line; its amount is after its own discount, before those of the whole order."""
    amount = net_amount(left, line.pack_factor, line.pack_price, net_share(line.discount), order.currency)
    ready = (line.need_by - timedelta(days=order.supplier.passage_days)).isoformat()
    return {
        "line": line.pk,
        "number": line.number,
        "item": line.item.code,
        "description": line.item.description,
        "unit": line.item.unit,
        "supplier_code": codes.get(line.item_id, ""),
        "quantity": str(left),
        "pack": line.pack,
        "pack_factor": str(line.pack_factor),
        "pack_price": str(line.pack_price),
        "discount": str(line.discount),
        "need_by": line.need_by.isoformat(),
        "amount": str(amount),
        "parts": parts or [{"quantity": str(line.quantity), "ready_on": ready}],
    }
