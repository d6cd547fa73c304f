"""Proof that the facts explain the books: every account of every company, in base and in the documents' currencies.

An account is explained by key: the layer, the document or the charge that its postings name. An account that no rule
here explains must be empty.
"""

from collections import defaultdict
from collections.abc import Callable, Hashable, Iterable
from decimal import Decimal
from functools import cached_property
from typing import Any

from django.db.models import F, Q, QuerySet, Sum
from django.db.models.functions import Coalesce

from northing.billing.models import Bill, BilledGoods, BillLine, BillLinePart, BillTax
from northing.claims.models import CaseEnd, ClaimAmount, ClaimMoney
from northing.core.costing.accruals import foreign_taken
from northing.core.money.money import converted, from_minor, rounded, to_minor
from northing.costing.models import ChargePart
from northing.customs.models import CustomsEntry, OfficePayment, OfficePaymentPart
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
from northing.payments.models import BetweenPart, BetweenPayment, Payment, PaymentPart
from northing.receiving.models import ReceiptLine
from northing.shipping.models import ShipmentLine
from northing.worklist.models import LineSummary

ZERO = Decimal(0)
# Base amount, and amount in the currency of the document.
Amounts = tuple[Decimal, Decimal]
Key = tuple[int, Hashable]
Fields = tuple[str, ...]
Explained = Iterable[tuple[int, Hashable, Decimal, Decimal]]


def book_faults() -> list[str]:
    """The balances that the facts do not explain, in words."""
    facts = _Facts()
    return [*_unbalanced(), *_unexplained(facts), *_overdrawn(facts), *_items(), *_components(), *_to_bill()]


class _Facts:
    """The facts that several rules explain accounts by; each is read once."""

    @cached_property
    def balances(self) -> list[dict[str, Any]]:
        """What is booked, by all that an account can be explained by."""
        keys = ("account", "company", "layer", "document_kind", "document", "charge")
        rows = Posting.objects.values(*keys).order_by()
        return list(rows.annotate(base=Sum("amount"), foreign=Coalesce(Sum("foreign_amount"), ZERO)))

    @cached_property
    def owned(self) -> list[ShipmentLine]:
        """Goods of shipments that are ours."""
        owned = ShipmentLine.objects.filter(goods_base__isnull=False)
        return list(owned.select_related("instalment__line__order__company"))

    @cached_property
    def by_receipt(self) -> list[ReceiptLine]:
        """Goods that became ours as they were received."""
        lines = ReceiptLine.objects.filter(receipt__reversed_by=None).exclude(recognised_base=0)
        return list(lines.select_related("receipt"))

    @cached_property
    def bills(self) -> list[Bill]:
        """Bills that stand."""
        bills = Bill.objects.filter(reversed_by=None).select_related("company", "party")
        return list(bills.annotate(lines_base=Sum("lines__parts__payer_base")))

    @cached_property
    def billed(self) -> list[BilledGoods]:
        """Goods of bills that stand; `part` is the shipment line (id) they are of."""
        goods = BilledGoods.objects.filter(line__bill__reversed_by=None)
        goods = goods.annotate(part=Coalesce("shipment_line", "receipt_line__shipment_line"))
        return list(goods.select_related("line__bill", "line__order_line"))

    @cached_property
    def goods_lines(self) -> list[BillLine]:
        """Lines of goods of bills that stand."""
        lines = BillLine.objects.filter(order_line__isnull=False, bill__reversed_by=None)
        return list(lines.select_related("bill__company", "order_line"))

    @cached_property
    def rows_of(self) -> dict[int, list[BilledGoods]]:
        """By line of goods (id), what was ours when its bill was booked."""
        found: dict[int, list[BilledGoods]] = defaultdict(list)
        for goods in self.billed:
            if goods.waited_base is None:
                found[goods.line_id].append(goods)
        return found

    @cached_property
    def ahead(self) -> dict[int, Amounts]:
        """By line of goods (id), what was not ours when its bill was booked: in the bill's currency, and in base."""
        found = {}
        for line in self.goods_lines:
            ours = sum((one.amount + one.difference for one in self.rows_of[line.pk]), ZERO)
            amount = line.bill.sign * line.amount - ours
            owed = converted(amount - line.ahead_advance, line.bill.rate, line.bill.company.currency)
            found[line.pk] = amount, owed + line.ahead_advance_base
        return found

    @cached_property
    def owed_by(self) -> dict[int, Decimal]:
        """By line of goods (id), what is owed by it in base."""
        found = {}
        for line in self.goods_lines:
            rows = self.rows_of[line.pk]
            owed = sum((one.amount + one.difference - one.advance for one in rows), ZERO)
            base = converted(owed, line.bill.rate, line.bill.company.currency)
            found[line.pk] = base + self.ahead[line.pk][1] - line.ahead_advance_base
        return found

    @cached_property
    def goods_owed(self) -> dict[int, Decimal]:
        """By bill (id), what is owed by its goods in base."""
        found: dict[int, Decimal] = defaultdict(Decimal)
        for line in self.goods_lines:
            found[line.bill_id] += self.owed_by[line.pk]
        for bill_id, amount, *_ in self.credited:
            found[bill_id] += amount
        for line, base in self.case_costs:
            found[line.bill_id] += base
        return found

    @cached_property
    def case_costs(self) -> list[tuple[BillLine, Decimal]]:
        """What bills that stand say of costs of cases, each with its worth in base."""
        lines = BillLine.objects.filter(bill__reversed_by=None).exclude(into="").select_related("bill__company")
        return [(one, converted(one.amount, one.bill.rate, one.bill.company.currency)) for one in lines]

    @cached_property
    def credited(self) -> list[tuple[int, Decimal, int, Decimal]]:
        """Credits of claims: the note (id), its worth in base (below 0), the company (id), what is off the claim."""
        lines = BillLine.objects.filter(case__isnull=False, into="", bill__reversed_by=None)
        lines = lines.select_related("bill__company")
        amounts = ClaimAmount.objects.filter(why=ClaimAmount.Why.CREDITED).values_list("entry", "case", "base")
        off = {(entry, case): base for entry, case, base in amounts}
        return [
            (
                line.bill_id,
                -converted(line.amount, line.bill.rate, line.bill.company.currency),
                line.bill.company_id,
                off[line.bill.entry_id, line.case_id],
            )
            for line in lines
        ]

    @cached_property
    def taxes(self) -> list[BillTax]:
        """Tax lines of bills that stand."""
        return list(BillTax.objects.filter(bill__reversed_by=None).select_related("bill__company"))

    @cached_property
    def payments(self) -> list[Payment]:
        """Payments that stand."""
        return list(Payment.objects.filter(reversed_by=None))

    @cached_property
    def _parts(self) -> list[PaymentPart]:
        parts = PaymentPart.objects.filter(payment__reversed_by=None)
        return list(parts.select_related("payment__company"))

    @property
    def bill_parts(self) -> list[PaymentPart]:
        """What was paid of bills."""
        return [part for part in self._parts if part.bill_id]

    @property
    def advance_parts(self) -> list[PaymentPart]:
        """What was paid in advance on orders."""
        return [part for part in self._parts if part.order_id]

    @cached_property
    def paid(self) -> dict[int, list[PaymentPart]]:
        """By bill (id), what was paid of it."""
        found: dict[int, list[PaymentPart]] = defaultdict(list)
        for part in self.bill_parts:
            found[part.bill_id].append(part)
        return found

    @cached_property
    def lent(self) -> list[BillLinePart]:
        """Other companies' parts of bills that stand."""
        parts = BillLinePart.objects.filter(line__bill__reversed_by=None).exclude(company=F("line__bill__company"))
        return list(parts.select_related("line__bill"))

    @cached_property
    def between(self) -> list[BetweenPart]:
        """Parts of bills that companies settled between them."""
        parts = BetweenPart.objects.filter(payment__reversed_by=None)
        return list(parts.select_related("part__line__bill", "payment"))

    @cached_property
    def customs(self) -> list[CustomsEntry]:
        """Customs entries that stand."""
        return list(CustomsEntry.objects.filter(reversed_by=None))

    @cached_property
    def released(self) -> list[tuple[int, str, int, Decimal, Decimal]]:
        """What was taken off goods owned and not billed: company, kind and key of the document, base, amount."""
        found = Allocation.objects.filter(item__account=Account.OWNED_NOT_BILLED)
        rows = found.values_list("item__company", "item__document_kind", "item__document").order_by()
        return list(rows.annotate(b=Sum("base"), a=Sum("amount")))

    @cached_property
    def issued(self) -> list[tuple[int, int, Decimal]]:
        """The cost of what was issued: company, layer, amount."""
        takes = LayerTake.objects.filter(reason=LayerTake.Reason.ISSUED).values_list("layer__company", "layer")
        return list(takes.order_by().annotate(total=Sum("cost")))


def _unbalanced() -> list[str]:
    sums = Posting.objects.values("entry", "company").annotate(off=Sum("amount")).exclude(off=0)
    return [f"entry {row['entry']} is off by {row['off']}" for row in sums]


def _unexplained(facts: _Facts) -> list[str]:
    faults = []
    known: set[str] = set()
    for accounts, key, explain in RULES:
        known.update(accounts)
        faults += _differences(accounts, _booked(facts, accounts, key), key, _added(explain(facts)))
    for account in set(Account.values) - known:
        faults += [f"{account}: nothing explains it" for _ in _booked(facts, [account], ())]
    return faults


def _differences(
    accounts: tuple[str, ...], booked: dict[Key, Amounts], key: Fields, explained: dict[Key, Amounts]
) -> list[str]:
    none = (ZERO, ZERO)
    return [
        f"{', '.join(accounts)} of company {which[0]}, {' '.join(key)} {which[1]}: booked {booked.get(which, none)},"
        f" explained {explained.get(which, none)}"
        for which in sorted({*booked, *explained}, key=str)
        if booked.get(which, none) != explained.get(which, none)
    ]


def _booked(facts: _Facts, accounts: Iterable[str], key: Fields) -> dict[Key, Amounts]:
    return _added(
        (row["company"], tuple(row[name] for name in key), row["base"], row["foreign"])
        for row in facts.balances
        if row["account"] in accounts
    )


def _added(rows: Explained) -> dict[Key, Amounts]:
    found: dict[Key, list[Decimal]] = defaultdict(lambda: [ZERO, ZERO])
    for company, record, base, foreign in rows:
        found[company, _key(record)][0] += base
        found[company, _key(record)][1] += foreign
    return {key: (base, foreign) for key, (base, foreign) in found.items() if base or foreign}


def _key(record: object) -> tuple:
    return record if isinstance(record, tuple) else (record,)


def _stock(facts: _Facts) -> Explained:
    for layer in CostLayer.objects.exclude(total_cost=F("taken_cost")):
        yield layer.company_id, layer.pk, layer.value, ZERO


def _afloat(facts: _Facts) -> Explained:
    """Goods of shipments that are ours, less what their layers took up."""
    for part in facts.owned:
        yield part.instalment.line.order.company_id, part.pk, part.goods_base, ZERO
    costs = LayerCost.objects.filter(charge=None, layer__shipment_line__isnull=False)
    costs = costs.exclude(component__in=(LayerCost.Component.REWORK, LayerCost.Component.REPLACED))
    for company, part, total in costs.values_list("layer__company", "layer__shipment_line").annotate(
        total=Sum("amount")
    ):
        yield company, part, -total, ZERO
    for line in facts.by_receipt:
        yield line.receipt.company_id, line.shipment_line_id, line.recognised_base, ZERO
    for goods in facts.billed:
        yield goods.line.bill.company_id, goods.part, goods.difference_base, ZERO
    for end in CaseEnd.objects.filter(reversed_by=None, reduced_base__gt=0).select_related("case__layer"):
        yield end.company_id, end.case.layer.shipment_line_id, -end.reduced_base, ZERO


def _not_billed(facts: _Facts) -> Explained:
    """Goods owned and not billed: recognised, less what was billed, went back or never came."""
    for part in facts.owned:
        if not part.opening_billed:
            key = (DocumentKind.SHIPMENT_LINE.value, part.pk)
            yield part.instalment.line.order.company_id, key, -part.goods_base, -part.goods_amount
    for line in facts.by_receipt:
        key = (DocumentKind.RECEIPT_LINE.value, line.pk)
        yield line.receipt.company_id, key, -line.recognised_base, -line.recognised_amount
    for company, *document, base, amount in facts.released:
        yield company, tuple(document), base, amount


def _accruals(facts: _Facts) -> Explained:
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


def _payables(facts: _Facts, account: str) -> Explained:
    """Bills that stand, by the kind of who is to be paid: their lines at the payer's rates, and the tax."""
    for bill in facts.bills:
        if bill.payable_account == account:
            key = (DocumentKind.BILL.value, bill.pk)
            base = (bill.lines_base or ZERO) + bill.sign * converted(bill.tax, bill.rate, bill.company.currency)
            yield bill.company_id, key, -base - facts.goods_owed[bill.pk], -bill.sign * bill.owed
            for part in facts.paid[bill.pk]:
                yield bill.company_id, key, part.sign * part.base, part.sign * (part.amount + part.discount)


def _provider_payables(facts: _Facts) -> Explained:
    return _payables(facts, Account.PROVIDER_PAYABLE)


def _supplier_payables(facts: _Facts) -> Explained:
    return _payables(facts, Account.SUPPLIER_PAYABLE)


def _input_tax(facts: _Facts) -> Explained:
    for tax in facts.taxes:
        yield tax.bill.company_id, (), _tax_base(tax), tax.bill.sign * tax.amount


def _tax_base(tax: BillTax) -> Decimal:
    """A tax line in base, at the rate of its bill, or of the one that it corrects."""
    bill = tax.bill
    return converted(bill.sign * tax.amount, bill.tax_rate or bill.rate, bill.company.currency)


def _due_from(facts: _Facts) -> Explained:
    for part in facts.lent:
        yield part.line.bill.company_id, part.pk, part.payer_base, part.amount
    for one in facts.between:
        yield one.part.line.bill.company_id, one.part_id, -one.creditor_base, -one.amount


def _due_to(facts: _Facts) -> Explained:
    for part in facts.lent:
        yield part.company_id, part.pk, -part.base_amount, -part.amount
    for one in facts.between:
        yield one.part.company_id, one.part_id, one.debtor_base, one.amount


def _customs_payables(facts: _Facts) -> Explained:
    yield from _payables(facts, Account.CUSTOMS_PAYABLE)
    for entry in facts.customs:
        owed = -(entry.duty + entry.tax)
        yield entry.company_id, (DocumentKind.CUSTOMS_ENTRY.value, entry.pk), owed, owed
    for part in OfficePaymentPart.objects.filter(payment__reversed_by=None).select_related("payment"):
        key = (DocumentKind.CUSTOMS_ENTRY.value, part.customs_entry_id)
        yield part.payment.company_id, key, part.amount, part.amount


def _import_tax(facts: _Facts) -> Explained:
    """Import tax declared, less what is not reclaimed and is a cost of the goods."""
    for entry in facts.customs:
        yield entry.company_id, (), entry.tax, ZERO
    kept = ChargePart.objects.filter(charge__kind="import_tax").values_list("company").order_by()
    for company, total in kept.annotate(total=Sum("base_amount")):
        yield company, (), -total, ZERO


def _issues(facts: _Facts) -> Explained:
    for company, layer, total in facts.issued:
        yield company, layer, total, ZERO


def _billed_not_ours(facts: _Facts) -> Explained:
    """Goods billed before they became ours, less those that did since."""
    for line in facts.goods_lines:
        amount, base = facts.ahead[line.pk]
        yield line.bill.company_id, line.pk, base, amount
    for goods in facts.billed:
        if goods.waited_base is not None:
            yield goods.line.bill.company_id, goods.line_id, -goods.waited_base, -goods.amount


def _advances(facts: _Facts) -> Explained:
    """What was paid in advance on orders, less what bills set off."""
    for part in facts.advance_parts:
        yield part.payment.company_id, part.order_id, part.sign * part.base, part.sign * part.amount
    for goods in facts.billed:
        if goods.waited_base is None:
            yield goods.line.bill.company_id, goods.line.order_line.order_id, -goods.advance_base, -goods.advance
    for line in facts.goods_lines:
        yield line.bill.company_id, line.order_line.order_id, -line.ahead_advance_base, -line.ahead_advance


def _exchange(facts: _Facts) -> Explained:
    """What is owed for goods beyond what they were worth, and what payments were worth beyond what they settled."""
    for line in facts.goods_lines:
        owed, ahead = facts.owed_by[line.pk], facts.ahead[line.pk][1] - line.ahead_advance_base
        known = sum(
            (one.base + one.difference_base - one.advance_base for one in facts.rows_of[line.pk]),
            ZERO,
        )
        yield line.bill.company_id, (), owed - ahead - known, ZERO
    for goods in facts.billed:
        if goods.waited_base is not None:
            yield goods.line.bill.company_id, (), goods.waited_base - goods.base, ZERO
    for payment in facts.payments:
        yield payment.company_id, (), payment.bank_base + payment.withheld_base, ZERO
    for part in facts.bill_parts:
        yield part.payment.company_id, (), _discount(part) - part.sign * part.base, ZERO
    for part in facts.advance_parts:
        yield part.payment.company_id, (), -part.sign * part.base, ZERO
    for _, worth, company, off in facts.credited:
        yield company, (), worth - off, ZERO
    for done in _claims_paid():
        yield done.company_id, (), done.base - done.bank_base, ZERO
    for company, _, base, _ in _bank_between():
        yield company, (), -base, ZERO
    for between in facts.between:
        yield between.part.company_id, (), -between.debtor_base, ZERO
        yield between.part.line.bill.company_id, (), between.creditor_base, ZERO
    for bill in facts.bills:
        yield bill.company_id, (), converted(bill.sign * bill.tax, bill.rate, bill.company.currency), ZERO
    for tax in facts.taxes:
        yield tax.bill.company_id, (), -_tax_base(tax), ZERO


def _discount(part: PaymentPart) -> Decimal:
    share = part.base * part.discount / (part.amount + part.discount)
    return rounded(share, part.payment.company.currency)


def _discounts(facts: _Facts) -> Explained:
    for part in facts.bill_parts:
        yield part.payment.company_id, (), -_discount(part), ZERO


def _bank(facts: _Facts) -> Explained:
    for one in facts.payments:
        yield one.company_id, (), -one.bank_base - one.charges, -one.bank_amount - one.charges
    yield from _bank_between()
    for done in _claims_paid():
        yield done.company_id, (), done.bank_base, done.bank_base
    for paid in OfficePayment.objects.filter(reversed_by=None):
        yield paid.company_id, (), -paid.amount, -paid.amount


def _bank_between() -> Explained:
    for one in BetweenPayment.objects.filter(reversed_by=None):
        yield one.payer_id, (), -one.payer_base, -one.payer_base
        yield one.payee_id, (), one.payee_base, one.payee_base


def _withheld(facts: _Facts) -> Explained:
    for one in facts.payments:
        yield one.company_id, (), -one.withheld_base, -one.withheld


def _claims_paid() -> QuerySet[ClaimMoney]:
    return ClaimMoney.objects.filter(reversed_by=None, way=ClaimMoney.Way.PAID)


def _bank_charges(facts: _Facts) -> Explained:
    for one in facts.payments:
        yield one.company_id, (), one.charges, ZERO


def _claims(facts: _Facts) -> Explained:
    """What claims grew and shrank by."""
    rows = ClaimAmount.objects.values_list("case__company", "case").order_by()
    yield from rows.annotate(b=Sum("base"), a=Sum("amount"))


# Claims that grow or shrink beside the losses: by money, credit notes, bills of costs, prices of goods that are here,
# goods that came free.
NO_LOSS = (
    *(ClaimAmount.Why.CREDITED, ClaimAmount.Why.PAID, ClaimAmount.Why.REDUCED, ClaimAmount.Why.COST),
    ClaimAmount.Why.REPLACED,
)


def _losses(facts: _Facts) -> Explained:
    """Costs of goods that are gone, and late costs of them; without issues and prices that are not owed."""
    layers = CostLayer.objects.exclude(taken_cost=0).values_list("company").order_by()
    for company, total in layers.annotate(total=Sum("taken_cost")):
        yield company, (), total, ZERO
    for company, _, cost in facts.issued:
        yield company, (), -cost, ZERO
    for company, _, _, base, _ in facts.released:
        yield company, (), -base, ZERO
    for goods in facts.billed:
        yield goods.line.bill.company_id, (), goods.base, ZERO
    lost = ClaimAmount.objects.exclude(why__in=NO_LOSS).values_list("case__company").order_by()
    for company, base in lost.annotate(total=Sum("base")):
        yield company, (), -base, ZERO
    for line, base in facts.case_costs:
        if line.into == BillLine.Into.LOSS:
            yield line.bill.company_id, (), base, ZERO
    more = LayerCost.objects.filter(charge=None, layer__count_lines__quantity__gt=0, layer__receipt_line=None)
    for company, total in more.values_list("layer__company").annotate(total=Sum("amount")).order_by():
        yield company, (), -total, ZERO


def _opening(facts: _Facts) -> Explained:
    """The openings of companies: goods in store, and goods afloat that were billed before."""
    began = LayerCost.objects.filter(
        charge=None, layer__receipt_line=None, layer__shipment_line=None, layer__count_lines=None
    )
    for company, total in began.values_list("layer__company").annotate(total=Sum("amount")).order_by():
        yield company, (), -total, ZERO
    for part in facts.owned:
        if part.opening_billed:
            yield part.instalment.line.order.company_id, (), -part.goods_base, -part.goods_amount


LOSSES = (
    Account.RETURN_LOSS,
    Account.MISSING_LOSS,
    Account.SCRAP_LOSS,
    Account.LATE_ISSUED,
    Account.COUNT_DIFFERENCE,
)
# Accounts that are explained together, by which field of their postings, and how.
RULES: list[tuple[tuple[str, ...], Fields, Callable[[_Facts], Explained]]] = [
    ((Account.STOCK,), ("layer",), _stock),
    ((Account.OWNED_AFLOAT,), ("document",), _afloat),
    ((Account.OWNED_NOT_BILLED,), ("document_kind", "document"), _not_billed),
    ((Account.ACCRUED_CHARGES, Account.ACCRUED_DUTY), ("charge",), _accruals),
    ((Account.PROVIDER_PAYABLE,), ("document_kind", "document"), _provider_payables),
    ((Account.SUPPLIER_PAYABLE,), ("document_kind", "document"), _supplier_payables),
    ((Account.CUSTOMS_PAYABLE,), ("document_kind", "document"), _customs_payables),
    ((Account.INPUT_TAX,), (), _input_tax),
    ((Account.IMPORT_TAX,), (), _import_tax),
    ((Account.CLAIMS,), ("document",), _claims),
    ((Account.BILLED_NOT_OURS,), ("document",), _billed_not_ours),
    ((Account.ADVANCES,), ("document",), _advances),
    ((Account.EXCHANGE,), (), _exchange),
    ((Account.DISCOUNTS_TAKEN,), (), _discounts),
    ((Account.BANK,), (), _bank),
    ((Account.WITHHOLDING,), (), _withheld),
    ((Account.BANK_CHARGES,), (), _bank_charges),
    ((Account.DUE_FROM,), ("document",), _due_from),
    ((Account.DUE_TO,), ("document",), _due_to),
    ((Account.STOCK_ISSUES,), ("layer",), _issues),
    (LOSSES, (), _losses),
    ((Account.OPENING,), (), _opening),
]


def _overdrawn(facts: _Facts) -> list[str]:
    """Goods of shipments of which more was taken out of owned afloat than ever became ours."""
    afloat = _booked(facts, [Account.OWNED_AFLOAT], ("document",))
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
