"""The papers of an order: a PDF to read and a UBL Order for machines, of a revision as it was sent."""

from collections.abc import Iterator, Mapping
from datetime import date
from decimal import Decimal

import segno
from django.utils import timezone
from django.utils.safestring import mark_safe

from northing.drawings.figures import count, money, price
from northing.formats.ubl import order_xml
from northing.messaging.print_pdf import to_pdf
from northing.orders.models import Revision

DAY = "%-d %b %Y"
ADDRESSES = {
    "order_to": "Order to",
    "despatch_from": "Fetched from",
    "deliver_to": "Deliver to",
    "invoice_to": "Invoice to",
}


def order_pdf(revision: Revision, link: str = "") -> bytes:
    """The order as it was sent; from the second revision on with what changed since the one before.

    With a link it bears a QR code that opens it.
    """
    before = Revision.objects.filter(order=revision.order_id, number=revision.number - 1).first()
    content, changed = revision.content, changes(before.content, revision.content) if before else []
    context = {
        "order": content,
        "revision": revision,
        "sent_on": f"{timezone.localdate(revision.sent_at):{DAY}}",
        "answer_by": _day(content.get("answer_by", "")),
        "changes": changed,
        "lines": list(_printed(content, {one["where"] for one in changed})),
        "sums": _sums(content),
        "addresses": [(words, content.get(name)) for name, words in ADDRESSES.items()],
        "code": mark_safe(segno.make(link, error="m").svg_inline(border=0)) if link else "",
    }
    return to_pdf("orders/paper.html", context)


def _printed(content: dict, changed: set[str]) -> Iterator[dict]:
    """The lines with their days in words, whether they changed, and what all comes to with each."""
    so_far = Decimal(0)
    for line in content["lines"]:
        so_far += Decimal(line["amount"])
        yield line | {
            "ready": [(part["quantity"], _day(part["ready_on"])) for part in line["parts"]],
            "changed": f"line {line['number']}" in changed,
            "so_far": money(so_far, content["currency"]),
        }


def _sums(content: dict) -> list[tuple[str, Decimal]]:
    """The rows under the lines: what the order comes to, and by which percentages."""
    goods = sum((Decimal(line["amount"]) for line in content["lines"]), Decimal(0))
    # Revisions of before there were such percentages have no sums of their own.
    found = {name: Decimal(value) for name, value in content.get("sums", {}).items()}
    rows = [("Total", found.get("total", goods))]
    if found.get("discount") or found.get("surcharge"):
        percent = {name: _percent(content[name]) for name in ("discount", "surcharge")}
        changed = [(f"Discount {percent['discount']}", -found["discount"])] if found["discount"] else []
        changed += [(f"Surcharge {percent['surcharge']}", found["surcharge"])] if found["surcharge"] else []
        rows = [("Goods", goods), *changed, *rows]
    if found.get("tax"):
        rows += [(f"Purchase tax {_percent(content['tax_rate'])}", found["tax"]), ("To pay", found["to_pay"])]
    return rows


def _percent(fraction: str) -> str:
    return f"{count(Decimal(fraction) * 100)} %"


def order_ubl(revision: Revision) -> bytes:
    """The same for machines."""
    return order_xml(revision.content, revision.number, revision.sent_at.date())


def order_documents(order: int, said: Mapping[str, str]) -> list[tuple[str, str, bytes]]:
    """(name, type, content) of the papers of the latest revision; `said` is what the letter says, by its own words."""
    revision = Revision.objects.filter(order=order).order_by("-number").first()
    if revision is None:
        return []
    name = f"{revision.content['number']}-{revision.number}"
    papers = [(f"{name}.pdf", "application/pdf", order_pdf(revision, _link(said)))]
    if revision.content["lines"]:  # a UBL Order has at least one line; a cancelled order has none
        papers.append((f"{name}.xml", "application/xml", order_ubl(revision)))
    return papers


def _link(said: Mapping[str, str]) -> str:
    """The supplier's link in the letter; a trial copy holds none."""
    return next((text for text in said.values() if text.startswith("http")), "")


PERCENTAGES = ("discount", "surcharge", "tax_rate")
HEAD = {
    "incoterms": "Incoterms",
    "payment": "payment",
    "need_by": "need by",
    "remark": "remark",
    "reference": "our reference",
    "supplier_reference": "your reference",
    "buyer": "buyer",
    "site": "to",
    "mode": "by",
    "answer_by": "answer by",
    "discount": "discount",
    "surcharge": "surcharge",
    "tax_rate": "purchase tax",
} | {name: words.lower() for name, words in ADDRESSES.items()}
LINE = {"quantity": "quantity", "pack_price": "price", "discount": "discount", "parts": "ready", "need_by": "need by"}


def changes(before: dict, after: dict) -> list[dict[str, str]]:
    """The differences between two revisions' contents: where, what, old, new; lines by their own identity."""
    found = [
        {"where": "order", "what": words, "old": _head(key, before), "new": _head(key, after)}
        for key, words in HEAD.items()
        if _head(key, before) != _head(key, after)
    ]
    currency = after["currency"]
    old = {line.get("line", line["number"]): line for line in before["lines"]}
    new = {line.get("line", line["number"]): line for line in after["lines"]}
    for key, line in new.items():
        where = f"line {line['number']}"
        if key not in old:
            words = f"{_said('quantity', line, currency)} {line['item']}"
            found.append({"where": where, "what": "new", "old": "", "new": words})
            continue
        found += [
            {"where": where, "what": words, "old": _said(name, old[key], currency), "new": _said(name, line, currency)}
            for name, words in LINE.items()
            if _said(name, old[key], currency) != _said(name, line, currency)
        ]
    found += [
        {
            "where": f"line {line['number']}",
            "what": "taken out",
            "old": f"{_said('quantity', line, currency)} {line['item']}",
            "new": "",
        }
        for key, line in old.items()
        if key not in new
    ]
    return found


def _head(key: str, content: dict) -> str:
    value = content.get(key, "")
    if key in PERCENTAGES:
        return _percent(value or "0")
    return _day(value) if key in ("need_by", "answer_by") else str(value)


def _said(name: str, line: dict, currency: str) -> str:
    value = line.get(name)
    if name == "parts":
        return ", ".join(f"{count(Decimal(part['quantity']))} on {_day(part['ready_on'])}" for part in value or [])
    if name == "need_by":
        return _day(value)
    if name == "discount":
        return _percent(value)
    return price(Decimal(value), currency) if name == "pack_price" else count(Decimal(value))


def _day(text: str) -> str:
    return f"{date.fromisoformat(text):{DAY}}" if text else ""
