"""The books by company and period: the trial balance, and each account opened to its items and its postings."""

from collections import defaultdict
from collections.abc import Iterable, Sequence
from dataclasses import dataclass, replace
from datetime import date
from decimal import Decimal

from django.db.models import Min, Q, Sum
from django.db.models.functions import Coalesce

from northing.billing.models import Bill, BillLine, BillLinePart
from northing.claims.models import Claim
from northing.costing.models import Charge
from northing.customs.models import CustomsEntry
from northing.ledger.models import OPEN_ITEM_ACCOUNTS, Account, CostLayer, DocumentKind, OpenItem, Posting
from northing.masterdata.models import Company
from northing.orders.models import PurchaseOrder
from northing.receiving.models import ReceiptLine
from northing.shipping.models import ShipmentLine

ZERO = Decimal(0)
# The items of stock are layers.
LAYER = "layer"


@dataclass(frozen=True)
class AccountRow:
    """An account over a period, in base currency: before it, what came on it by side, and after it."""

    code: str
    name: str
    before: Decimal
    debit: Decimal
    credit: Decimal

    @property
    def after(self) -> Decimal:
        """At the end of the period; debit is positive."""
        return self.before + self.debit - self.credit


def trial_balance(company: Company, first: date | None, through: date, account: str = "") -> list[AccountRow]:
    """The accounts of a company on which something was posted through a day; they add up to zero. Or one of them."""
    during = Q(posted_on__gte=first) if first else Q()
    sums = {
        "debit": Coalesce(Sum("amount", filter=during & Q(amount__gt=0)), ZERO),
        "credit": Coalesce(-Sum("amount", filter=during & Q(amount__lt=0)), ZERO),
    }
    if first:
        sums["before"] = Coalesce(Sum("amount", filter=Q(posted_on__lt=first)), ZERO)
    postings = Posting.objects.filter(company=company, posted_on__lte=through)
    rows = (postings.filter(account=account) if account else postings).values("account").order_by()
    found = {row["account"]: row for row in rows.annotate(**sums)}
    return [
        AccountRow(code, name, found[code].get("before", ZERO), found[code]["debit"], found[code]["credit"])
        for code, name in Account.choices
        if code in found
    ]


@dataclass(frozen=True)
class Item:
    """What an account holds of one document (or layer) at a day: in the document's currency, and in base.

    `kind` and `document` say which; `currency` is empty where only base is kept. `name` and the `record` that shows it
    come with `with_names`.
    """

    kind: str
    document: int | None
    party: str
    since: date
    currency: str
    amount: Decimal
    base: Decimal
    name: str = ""
    record: tuple[str, int] | None = None


def items_of(company: Company, account: str, through: date) -> list[Item]:
    """What makes up an account at a day, the oldest first; the items add up to it, in both currencies.

    An account on which nothing was posted after that day is read from its open items.
    """
    postings = Posting.objects.filter(company=company, account=account, posted_on__lte=through)
    if account == Account.STOCK:
        return _layers(postings)
    if account == Account.OWNED_AFLOAT:
        return _documents(postings, foreign=False)
    if account not in OPEN_ITEM_ACCOUNTS:
        return []
    later = Posting.objects.filter(company=company, account=account, posted_on__gt=through)
    return _documents(postings, foreign=True) if later.exists() else _open_items(company, account)


def _open_items(company: Company, account: str) -> list[Item]:
    names = ("document_kind", "document", "party__name", "occurred_on", "currency", "amount", "base")
    found = OpenItem.objects.filter(~Q(amount=0) | ~Q(base=0), company=company, account=account)
    rows = found.order_by("occurred_on", "pk").values_list(*names)
    return [Item(kind, document, party or "", *rest) for kind, document, party, *rest in rows]


def _layers(postings) -> list[Item]:
    rows = postings.values_list("layer").order_by().annotate(t=Sum("amount"), since=Min("posted_on")).exclude(t=0)
    found = [Item(LAYER, layer, "", since, "", ZERO, total) for layer, total, since in rows]
    return sorted(found, key=lambda one: (one.since, one.document or 0))


def _documents(postings, *, foreign: bool) -> list[Item]:
    names = ["document_kind", "document"] + (["party__name", "foreign_currency"] if foreign else [])
    sums = {"base": Sum("amount"), "amount": Coalesce(Sum("foreign_amount"), ZERO), "since": Min("posted_on")}
    found = [
        Item(
            row["document_kind"],
            row["document"],
            row.get("party__name") or "",
            row["since"],
            row.get("foreign_currency") or "",
            row["amount"],
            row["base"],
        )
        for row in postings.values(*names).order_by().annotate(**sums)
        if row["base"] or row["amount"]
    ]
    return sorted(found, key=lambda one: (one.since, one.kind, one.document or 0))


def with_names(items: Sequence[Item]) -> list[Item]:
    """The items with their names, and the records that show them; a query or two for each kind of document."""
    known = named_documents((one.kind, one.document) for one in items)
    named = (known.get((one.kind, one.document), ("", None)) for one in items)
    return [replace(one, name=name, record=record) for one, (name, record) in zip(items, named, strict=True)]


def by_currency(items: Iterable[Item]) -> list[tuple[str, Decimal]]:
    """What items come to in each currency of their documents."""
    sums: dict[str, Decimal] = defaultdict(Decimal)
    for one in items:
        if one.currency:
            sums[one.currency] += one.amount
    return sorted((currency, amount) for currency, amount in sums.items() if amount)


Named = tuple[str, tuple[str, int] | None]


def named_documents(documents: Iterable[tuple[str, int | None]]) -> dict[tuple[str, int | None], Named]:
    """Documents of postings, by kind and id: their name, and the record (kind and id) that shows them."""
    keys: dict[str, list[int]] = defaultdict(list)
    for kind, document in documents:
        if document is not None:
            keys[kind].append(document)
    return {
        (kind, key): named
        for kind, wanted in keys.items()
        if kind in NAMES
        for key, named in NAMES[kind](wanted).items()
    }


def _bills(keys: Sequence[int]) -> dict[int, Named]:
    return {one.pk: (str(one), ("bill", one.pk)) for one in Bill.objects.filter(pk__any_of=keys)}


def _parts(keys: Sequence[int]) -> dict[int, Named]:
    rows = BillLinePart.objects.filter(pk__any_of=keys).select_related("line__bill")
    return {one.pk: (str(one.line.bill), ("bill", one.line.bill_id)) for one in rows}


def _lines(model: type, path: str):
    def found(keys: Sequence[int]) -> dict[int, Named]:
        fields = (f"{path}__order__number", f"{path}__number", f"{path}__item__code", path)
        rows = model.objects.filter(pk__any_of=keys).values_list("pk", *fields)
        return {key: (f"{order}/{number} {item}", ("line", line)) for key, order, number, item, line in rows}

    return found


def _charges(keys: Sequence[int]) -> dict[int, Named]:
    rows = Charge.objects.filter(pk__any_of=keys).select_related("payee")
    return {one.pk: (f"{one.get_kind_display()} of {one.payee}", ("charge", one.pk)) for one in rows}


def _entries(keys: Sequence[int]) -> dict[int, Named]:
    rows = CustomsEntry.objects.filter(pk__any_of=keys).values_list("pk", "number")
    return {key: (f"Customs entry {number}", ("customs-entry", key)) for key, number in rows}


def _cases(keys: Sequence[int]) -> dict[int, Named]:
    rows = Claim.objects.filter(pk__any_of=keys).values_list("pk", "reason")
    return {key: (f"Case {key}: {reason}", ("case", key)) for key, reason in rows}


def _orders(keys: Sequence[int]) -> dict[int, Named]:
    rows = PurchaseOrder.objects.filter(pk__any_of=keys).values_list("pk", "number")
    return {key: (number, ("order", key)) for key, number in rows}


def _named_layers(keys: Sequence[int]) -> dict[int, Named]:
    rows = CostLayer.objects.filter(pk__any_of=keys).values_list("pk", "item__code", "site__code")
    return {key: (f"{item}, {site}", ("layer", key)) for key, item, site in rows}


NAMES = {
    LAYER: _named_layers,
    DocumentKind.BILL.value: _bills,
    DocumentKind.BILL_PART.value: _parts,
    DocumentKind.BILL_LINE.value: _lines(BillLine, "order_line"),
    DocumentKind.SHIPMENT_LINE.value: _lines(ShipmentLine, "instalment__line"),
    DocumentKind.RECEIPT_LINE.value: _lines(ReceiptLine, "instalment__line"),
    DocumentKind.CHARGE.value: _charges,
    DocumentKind.CUSTOMS_ENTRY.value: _entries,
    DocumentKind.CASE.value: _cases,
    DocumentKind.ORDER.value: _orders,
}
