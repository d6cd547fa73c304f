"""What a bill that lies on the table may be for: receipts, orders and shipments that are ours and not billed.

They are found by what the paper says: a delivery note, a number of ours or theirs, an item, or its total.
"""

from collections.abc import Iterable
from dataclasses import dataclass
from decimal import Decimal

from northing.core.money.exact import read_exact
from northing.ledger.models import Account, OpenItem
from northing.receiving.models import ReceiptLine
from northing.shipping.models import ShipmentLine

ZERO = Decimal(0)
MOST = 40
# Goods that became ours before so many others are not looked through.
NEWEST = 5_000
# A total within this part of an amount may be it with freight, tax or another price.
NEAR = Decimal("0.15")


@dataclass(frozen=True)
class Fitting:
    """Goods of a supplier that may be billed together: where they came from, their amount, and how well they fit.

    `query` opens the bill's page with them. `fits` is between 0 and 1.
    """

    words: str
    supplier: str
    company: str
    currency: str
    amount: Decimal
    query: str
    why: str
    fits: Decimal


def fitting_bills(said: str, companies: Iterable[int]) -> list[Fitting]:
    """The groups that fit what was typed, the best first; nothing for an empty text."""
    text = said.replace("\x00", "").strip()[:60]
    if not text:
        return []
    total = _total(text)
    groups = _groups(companies)
    found = [one for one in (_fitting(group, text, total) for group in groups) if one]
    return sorted(found, key=lambda one: (-one.fits, one.words))[:MOST]


def _total(text: str) -> Decimal | None:
    try:
        return read_exact(text.replace(",", "").replace(" ", ""))
    except ValueError:
        return None


@dataclass
class _Group:
    """Goods that came together, with the words by which a paper may name them."""

    kind: str
    key: int
    words: str
    supplier: str
    company: str
    currency: str
    amount: Decimal
    names: set[str]


def _groups(companies: Iterable[int]) -> list[_Group]:
    items = OpenItem.objects.filter(account=Account.OWNED_NOT_BILLED, company__in=list(companies)).exclude(amount=0)
    rows = items.order_by("-occurred_on", "-pk").values_list(
        "document_kind", "document", "company__code", "party__name", "currency", "amount"
    )
    open_rows = list(rows[:NEWEST])
    lines = {
        "shipment_line": _shipment_lines(key for kind, key, *_ in open_rows if kind == "shipment_line"),
        "receipt_line": _receipt_lines(key for kind, key, *_ in open_rows if kind == "receipt_line"),
    }
    found: dict[tuple[str, int], _Group] = {}
    for kind, document, company, supplier, currency, amount in open_rows:
        for where, key, words, names in lines[kind].get(document, ()):
            group = found.setdefault((where, key), _Group(where, key, words, supplier, company, currency, ZERO, set()))
            group.amount -= amount
            group.names |= {name.casefold() for name in names if name}
    return list(found.values())


Place = tuple[str, int, str, set[str]]
ORDER = "instalment__line__order"


def _shipment_lines(keys: Iterable[int]) -> dict[int, list[Place]]:
    """By shipment line (id), the order and the shipment that it is of, and the receipts by which it came."""
    fields = ("pk", f"{ORDER}", f"{ORDER}__number", f"{ORDER}__supplier_reference", "instalment__line__item__code")
    fields += ("container__shipment", "container__shipment__reference", "container__shipment__document")
    found: dict[int, list[Place]] = {}
    wanted = list(keys)
    for key, order, number, theirs, item, shipment, reference, document in ShipmentLine.objects.filter(
        pk__any_of=wanted
    ).values_list(*fields):
        places: list[Place] = [("order", order, f"Order {number}", {number, theirs, item})]
        if shipment:
            places.append(("shipment", shipment, f"Shipment {reference}", {reference, document, item}))
        found[key] = places
    came = ReceiptLine.objects.filter(shipment_line__in=wanted, receipt__reversed_by=None, quantity__gt=0)
    for key, place in _receipts(came, "shipment_line"):
        found[key].append(place)
    return found


def _receipt_lines(keys: Iterable[int]) -> dict[int, list[Place]]:
    """By receipt line (id), the order and the receipt that it is of."""
    wanted = ReceiptLine.objects.filter(pk__any_of=list(keys))
    found: dict[int, list[Place]] = {}
    fields = ("pk", ORDER, f"{ORDER}__number", f"{ORDER}__supplier_reference", "instalment__line__item__code")
    for key, order, number, theirs, item in wanted.values_list(*fields):
        found[key] = [("order", order, f"Order {number}", {number, theirs, item})]
    for key, place in _receipts(wanted, "pk"):
        found[key].append(place)
    return found


def _receipts(lines, key: str) -> Iterable[tuple[int, Place]]:
    fields = (key, "receipt", "receipt__delivery_note", "receipt__number", "receipt__supplier_bill")
    for line, receipt, note, number, bill in lines.values_list(*fields).distinct():
        yield line, ("receipt", receipt, f"Delivery note {note}", {note, number, bill})


def _fitting(group: _Group, text: str, total: Decimal | None) -> Fitting | None:
    fits, why = ZERO, ""
    name = text.casefold()
    if name in group.names:
        fits, why = Decimal(1), "named on the paper"
    elif total is not None and total == group.amount:
        fits, why = Decimal("0.95"), "the very amount"
    elif total and abs(total - group.amount) <= abs(total) * NEAR:
        fits = Decimal("0.9") - abs(total - group.amount) / abs(total)
        why = "near the amount"
    elif len(name) > 2 and any(name in one for one in (*group.names, group.supplier.casefold())):
        fits, why = Decimal("0.5"), "like it"
    if not fits:
        return None
    query = f"{group.kind}={group.key}"
    facts = (group.words, group.supplier, group.company, group.currency, group.amount, query, why)
    return Fitting(*facts, round(fits, 2))
