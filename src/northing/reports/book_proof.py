"""Proof that the facts explain the books: every account of every company, in base and in the documents' currencies.

An account is explained by key: the layer, the document or the charge that its postings name. An account that no rule
here explains must be empty.
"""

from collections import defaultdict
from collections.abc import Callable, Hashable, Iterable, Iterator
from decimal import Decimal

from django.db.models import F, Q, Sum
from django.db.models.functions import Coalesce

from northing.billing.models import Bill, BillLinePart
from northing.core.costing.accruals import foreign_taken
from northing.core.money.money import converted, from_minor, to_minor
from northing.core.money.spread import share_so_far
from northing.costing.models import ChargePart
from northing.customs.models import CustomsEntry
from northing.ledger.models import (
    OPEN_ITEM_ACCOUNTS,
    Account,
    Allocation,
    CostLayer,
    DocumentKind,
    LayerCost,
    LayerTake,
    OpenItem,
    Posting,
)
from northing.receiving.models import ReceiptLine
from northing.shipping.models import ShipmentLine
from northing.worklist.models import LineSummary

ZERO = Decimal(0)
# How units go whose price is not paid, or is claimed back.
WAYS = (LayerTake.Reason.RETURNED, LayerTake.Reason.MISSING)
# Base amount, and amount in the currency of the document.
Amounts = tuple[Decimal, Decimal]
Key = tuple[int, Hashable]
Fields = tuple[str, ...]
Explained = Iterator[tuple[int, Hashable, Decimal, Decimal]]


def book_faults() -> list[str]:
    """The balances that the facts do not explain, in words."""
    return [*_unbalanced(), *_unexplained(), *_overdrawn(), *_items(), *_components(), *_to_bill()]


def _unbalanced() -> list[str]:
    sums = Posting.objects.values("entry", "company").annotate(off=Sum("amount")).exclude(off=0)
    return [f"entry {row['entry']} is off by {row['off']}" for row in sums]


def _unexplained() -> list[str]:
    faults = []
    known: set[str] = set()
    for accounts, key, explain in RULES:
        known.update(accounts)
        faults += _differences(accounts, key, explain)
    for account in set(Account.values) - known:
        faults += [f"{account}: nothing explains it" for _ in _booked([account], ())]
    return faults


def _differences(accounts: tuple[str, ...], key: Fields, explain: Callable[[], Explained]) -> list[str]:
    booked, explained = _booked(accounts, key), _added(explain())
    none = (ZERO, ZERO)
    return [
        f"{', '.join(accounts)} of company {which[0]}, {' '.join(key)} {which[1]}: booked {booked.get(which, none)},"
        f" explained {explained.get(which, none)}"
        for which in sorted({*booked, *explained}, key=str)
        if booked.get(which, none) != explained.get(which, none)
    ]


def _booked(accounts: Iterable[str], key: Fields) -> dict[Key, Amounts]:
    rows = Posting.objects.filter(account__in=list(accounts)).values_list("company", *key).order_by()
    rows = rows.annotate(base=Sum("amount"), foreign=Coalesce(Sum("foreign_amount"), ZERO))
    return {(company, tuple(record)): (base, foreign) for company, *record, base, foreign in rows if base or foreign}


def _added(rows: Explained) -> dict[Key, Amounts]:
    found: dict[Key, list[Decimal]] = defaultdict(lambda: [ZERO, ZERO])
    for company, record, base, foreign in rows:
        found[company, _key(record)][0] += base
        found[company, _key(record)][1] += foreign
    return {key: (base, foreign) for key, (base, foreign) in found.items() if base or foreign}


def _key(record: object) -> tuple:
    return record if isinstance(record, tuple) else (record,)


def _stock() -> Explained:
    for layer in CostLayer.objects.exclude(total_cost=F("taken_cost")):
        yield layer.company_id, layer.pk, layer.value, ZERO


def _afloat() -> Explained:
    """Goods of shipments that are ours, less what their layers took up."""
    for part in _owned():
        yield part.instalment.line.order.company_id, part.pk, part.goods_base, ZERO
    costs = LayerCost.objects.filter(charge=None, layer__shipment_line__isnull=False)
    for company, part, total in costs.values_list("layer__company", "layer__shipment_line").annotate(
        total=Sum("amount")
    ):
        yield company, part, -total, ZERO
    for line in _by_receipt():
        yield line.receipt.company_id, line.shipment_line_id, line.recognised_base, ZERO


def _owned():
    return ShipmentLine.objects.filter(goods_base__isnull=False).select_related("instalment__line__order")


def _by_receipt():
    return ReceiptLine.objects.filter(receipt__reversed_by=None).exclude(recognised_base=0).select_related("receipt")


def _not_billed() -> Explained:
    """Goods owned and not billed: recognised, less what went back or never came."""
    for part in _owned().filter(opening_billed=False):
        key = (DocumentKind.SHIPMENT_LINE.value, part.pk)
        yield part.instalment.line.order.company_id, key, -part.goods_base, -part.goods_amount
    for line in _by_receipt():
        key = (DocumentKind.RECEIPT_LINE.value, line.pk)
        yield line.receipt.company_id, key, -line.recognised_base, -line.recognised_amount
    found = Allocation.objects.filter(item__account=Account.OWNED_NOT_BILLED)
    rows = found.values_list("item__company", "item__document_kind", "item__document").order_by()
    for company, *key, base, amount in rows.annotate(b=Sum("base"), a=Sum("amount")):
        yield company, tuple(key), base, amount


def _accruals() -> Explained:
    """What is billed of a charge, less what layers took up of it."""
    taken = LayerCost.objects.filter(charge__isnull=False).values_list("charge", "layer__company").order_by()
    sums = {(charge, company): total for charge, company, total in taken.annotate(total=Sum("amount"))}
    for part in ChargePart.objects.select_related("charge", "company"):
        own, base = part.charge.currency, part.company.currency
        used = sums.pop((part.charge_id, part.company_id), ZERO)
        whole = to_minor(part.amount, own), to_minor(part.base_amount, base)
        foreign = from_minor(foreign_taken(*whole, to_minor(used, base)), own)
        yield part.company_id, part.charge_id, part.billed_base - used, part.billed - foreign
    for (charge, company), total in sums.items():
        yield company, charge, -total, ZERO


def _payables(account: str) -> Explained:
    """Bills that stand, by the kind of who is to be paid: their lines at the payer's rates, and the tax."""
    bills = Bill.objects.filter(reversed_by=None).select_related("company", "party")
    for bill in bills.annotate(lines_base=Sum("lines__parts__payer_base")):
        if bill.payable_account == account:
            base = bill.lines_base + bill.sign * converted(bill.tax, bill.rate, bill.company.currency)
            yield bill.company_id, (DocumentKind.BILL.value, bill.pk), -base, -bill.sign * bill.total


def _provider_payables() -> Explained:
    return _payables(Account.PROVIDER_PAYABLE)


def _supplier_payables() -> Explained:
    return _payables(Account.SUPPLIER_PAYABLE)


def _input_tax() -> Explained:
    for bill in Bill.objects.filter(reversed_by=None).select_related("company"):
        tax = bill.sign * bill.tax
        yield bill.company_id, (), converted(tax, bill.rate, bill.company.currency), tax


def _lent_parts():
    """Other companies' parts of bills that stand."""
    parts = BillLinePart.objects.filter(line__bill__reversed_by=None).exclude(company=F("line__bill__company"))
    return parts.select_related("line__bill")


def _due_from() -> Explained:
    for part in _lent_parts():
        yield part.line.bill.company_id, part.pk, part.payer_base, part.amount


def _due_to() -> Explained:
    for part in _lent_parts():
        yield part.company_id, part.pk, -part.base_amount, -part.amount


def _customs_payables() -> Explained:
    yield from _payables(Account.CUSTOMS_PAYABLE)
    for entry in CustomsEntry.objects.filter(reversed_by=None):
        owed = -(entry.duty + entry.tax)
        yield entry.company_id, (DocumentKind.CUSTOMS_ENTRY.value, entry.pk), owed, owed


def _import_tax() -> Explained:
    """Import tax declared, less what is not reclaimed and is a cost of the goods."""
    for company, total in (
        CustomsEntry.objects.filter(reversed_by=None).values_list("company").annotate(total=Sum("tax")).order_by()
    ):
        yield company, (), total, ZERO
    kept = ChargePart.objects.filter(charge__kind="import_tax").values_list("company").order_by()
    for company, total in kept.annotate(total=Sum("base_amount")):
        yield company, (), -total, ZERO


def _issues() -> Explained:
    takes = LayerTake.objects.filter(reason=LayerTake.Reason.ISSUED).values_list("layer__company", "layer").order_by()
    for company, layer, total in takes.annotate(total=Sum("cost")):
        yield company, layer, total, ZERO


def _claims() -> Explained:
    """The price of goods that were billed before Northing and went back or never came: a share of it by units."""
    takes = LayerTake.objects.filter(reason__in=WAYS, layer__shipment_line__opening_billed=True).order_by()
    used = dict(takes.values_list("layer__shipment_line").annotate(total=Sum("quantity")))
    for part in _owned().filter(pk__in=used).select_related("instalment__line__order__company"):
        order = part.instalment.line.order
        shares = [
            from_minor(share_so_far(to_minor(total, currency), used[part.pk], part.quantity), currency)
            for total, currency in ((part.goods_base, order.company.currency), (part.goods_amount, order.currency))
        ]
        yield order.company_id, (), *shares


def _losses() -> Explained:
    """Costs of goods that are gone, and late costs of them; without issues and prices that are not owed."""
    layers = CostLayer.objects.exclude(taken_cost=0).values_list("company").order_by()
    for company, total in layers.annotate(total=Sum("taken_cost")):
        yield company, (), total, ZERO
    for company, _, cost, _ in _issues():
        yield company, (), -cost, ZERO
    released = Allocation.objects.filter(item__account=Account.OWNED_NOT_BILLED).values_list("item__company")
    for company, total in released.order_by().annotate(total=Sum("base")):
        yield company, (), -total, ZERO
    for company, _, base, _ in _claims():
        yield company, (), -base, ZERO


def _opening() -> Explained:
    """The openings of companies: goods in store, and goods afloat that were billed before."""
    began = LayerCost.objects.filter(charge=None, layer__receipt_line=None, layer__shipment_line=None)
    for company, total in began.values_list("layer__company").annotate(total=Sum("amount")).order_by():
        yield company, (), -total, ZERO
    for part in _owned().filter(opening_billed=True):
        yield part.instalment.line.order.company_id, (), -part.goods_base, -part.goods_amount


# Accounts that are explained together, by which field of their postings, and how.
RULES: list[tuple[tuple[str, ...], Fields, Callable[[], Explained]]] = [
    ((Account.STOCK,), ("layer",), _stock),
    ((Account.OWNED_AFLOAT,), ("document",), _afloat),
    ((Account.OWNED_NOT_BILLED,), ("document_kind", "document"), _not_billed),
    ((Account.ACCRUED_CHARGES, Account.ACCRUED_DUTY), ("charge",), _accruals),
    ((Account.PROVIDER_PAYABLE,), ("document_kind", "document"), _provider_payables),
    ((Account.SUPPLIER_PAYABLE,), ("document_kind", "document"), _supplier_payables),
    ((Account.CUSTOMS_PAYABLE,), ("document_kind", "document"), _customs_payables),
    ((Account.INPUT_TAX,), (), _input_tax),
    ((Account.IMPORT_TAX,), (), _import_tax),
    ((Account.CLAIMS,), (), _claims),
    ((Account.DUE_FROM,), ("document",), _due_from),
    ((Account.DUE_TO,), ("document",), _due_to),
    ((Account.STOCK_ISSUES,), ("layer",), _issues),
    ((Account.RETURN_LOSS, Account.MISSING_LOSS, Account.SCRAP_LOSS, Account.LATE_ISSUED), (), _losses),
    ((Account.OPENING,), (), _opening),
]


def _overdrawn() -> list[str]:
    """Goods of shipments of which more was taken out of owned afloat than ever became ours."""
    afloat = _booked([Account.OWNED_AFLOAT], ("document",))
    return [f"owned afloat of goods {key} is {base}" for (_, (key,)), (base, _) in afloat.items() if base < 0]


def _items() -> list[str]:
    """Open items that are not what was posted on their documents."""
    names = ("company", "account", "party", "document_kind", "document")
    accounts = [account.value for account in OPEN_ITEM_ACCOUNTS]
    posted = Posting.objects.filter(account__in=accounts).values_list(*names, "foreign_currency").order_by()
    booked = {tuple(row[:6]): row[6:] for row in posted.annotate(a=Sum("foreign_amount"), b=Sum("amount"))}
    kept = {
        tuple(row[:6]): row[6:] for row in OpenItem.objects.values_list(*names, "currency", "amount", "base").order_by()
    }
    return [
        f"open item {key}: {kept.get(key)}, posted {booked.get(key)}"
        for key in sorted({*booked, *kept}, key=str)
        if kept.get(key) != booked.get(key)
    ]


def _to_bill() -> list[str]:
    """Lines that have units to be billed and owe nothing for them, or the other way round."""
    owed = OpenItem.objects.filter(account=Account.OWNED_NOT_BILLED).exclude(amount=0)
    owing = set(owed.values_list("order_line", flat=True))
    lines = set(LineSummary.objects.filter(unbilled__gt=0).values_list("pk", flat=True))
    return [
        f"line {key}: {'owes and has no' if key in owing else 'owes nothing and has'} units to be billed"
        for key in sorted(owing ^ lines)
    ]


def _components() -> list[str]:
    """Layers whose components do not add up to their cost, and layers of which more is gone than they hold."""
    off = CostLayer.objects.annotate(components=Coalesce(Sum("costs__amount"), ZERO))
    off = off.filter(~Q(total_cost=F("components")) | Q(gone__gt=F("received")))
    return [f"layer {layer.pk}: cost {layer.total_cost}, components {layer.components}" for layer in off]
