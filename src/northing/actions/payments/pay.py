"""Pay: money leaves our bank for bills and parts of them, and as advances on orders; and the way back."""

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date
from decimal import Decimal

from django.db.models import Sum

from northing.access.acts import Act, future_problem
from northing.actions.billing.bills import payable_draft
from northing.actions.costing import advances
from northing.actions.reversal import ReverseRequest, refuse_reversal
from northing.activity.operations import Link, add_history, add_links, once
from northing.billing.models import Bill
from northing.core.billing.advances import Amounts
from northing.core.billing.pay import divided, off
from northing.core.money.money import MINOR_UNITS, converted, from_minor, is_whole, to_minor
from northing.core.problems import Problem, Refused, refuse_if
from northing.drawings.figures import money
from northing.ledger.models import Account, DocumentKind, Posting
from northing.ledger.operations import Draft, mirror, open_entry, post
from northing.ledger.queries import posting_note
from northing.masterdata.models import BankAccount, Company, Party
from northing.masterdata.queries import rate_for
from northing.orders import operations as orders
from northing.orders.models import PurchaseOrder
from northing.payments import operations as payments
from northing.payments.models import Payment, PaymentPart
from northing.payments.queries import Advance, open_advances

ZERO, ONE = Decimal(0), Decimal(1)


@dataclass(frozen=True)
class PartRequest:
    """What is paid of a bill, with the discount that is taken; or in advance on an order. Ids."""

    amount: Decimal
    bill: int | None = None
    order: int | None = None
    discount: Decimal = ZERO


@dataclass(frozen=True)
class PayRequest:
    """A payment to one party in one currency.

    `bank` is what left the account by its statement, in the currency of the account (base, without one); else `rate`,
    or the day's rate for payments, says it. `charges` of the bank are in base currency.
    """

    company: int
    party: int
    day: date
    currency: str
    parts: tuple[PartRequest, ...]
    rate: Decimal | None = None
    bank: Decimal | None = None
    charges: Decimal = ZERO
    account: int | None = None
    remark: str = ""

    @property
    def amount(self) -> Decimal:
        """What is paid in all."""
        return sum((part.amount for part in self.parts), ZERO)


@dataclass(frozen=True)
class Worth:
    """What a payment costs: its rate, if it has one, what leaves the account, and that in base currency."""

    rate: Decimal | None
    bank_currency: str
    bank_amount: Decimal
    base: Decimal


@once
def pay(act: Act, request: PayRequest) -> int:
    """Pay bills, parts of them, and advances. Returns the payment's id."""
    act.require("pay", request.company)
    bills, ordered = _locked(request)
    refuse_if(future_problem(request.day, act, "day") + _problems(request, bills, ordered))
    company = Company.objects.get(pk=request.company)
    worth = worth_of(request, company)
    payment = Payment(
        company=company,
        party_id=request.party,
        account_id=request.account,
        day=request.day,
        currency=request.currency,
        amount=request.amount,
        rate=worth.rate,
        bank_currency=worth.bank_currency,
        bank_amount=worth.bank_amount,
        bank_base=worth.base,
        charges=request.charges,
        remark=request.remark.strip(),
        entered_by=act.person,
        at=act.at,
    )
    text = f"Paid {request.currency} {money(request.amount, request.currency)} to {payment.party}"
    text += f" for {_for_what(bills, ordered)}{posting_note([company.pk], request.day)}"
    history = add_history(act, "pay", text, _links(company.pk, bills.values(), ordered.values()), request.day)
    payment.entry = entry = open_entry(act, history, text, request.day)
    parts = _parts(request, payment, bills)
    payments.write_payment(payment, parts)
    add_links(history, [("payment", payment.pk, company.pk)])
    post(entry, _drafts(payment, parts, bills))
    for part in parts:
        if part.order_id:
            order = ordered[part.order_id]
            advances.reserve_paid(entry, order, Advance(part.amount, part.paid_base))
    return payment.pk


def _locked(request: PayRequest) -> tuple[dict[int, Bill], dict[int, PurchaseOrder]]:
    """The bills and orders of a payment, locked in the order of their ids."""
    keys = {part.bill for part in request.parts if part.bill}
    bills = Bill.objects.select_for_update(of=("self",)).filter(pk__in=keys).order_by("pk")
    bills = bills.select_related("company", "party").prefetch_related("lines")
    of_orders = {part.order for part in request.parts if part.order}
    orders.lock(of_orders)
    found = PurchaseOrder.objects.filter(pk__in=of_orders).select_related("company", "supplier")
    return {bill.pk: bill for bill in bills}, found.in_bulk()


def _problems(request: PayRequest, bills: dict[int, Bill], ordered: dict[int, PurchaseOrder]) -> list[Problem]:
    if request.currency not in MINOR_UNITS:
        return [Problem(f"{request.currency!r} is not an ISO 4217 currency.", "currency")]
    if not request.parts:
        return [Problem("Nothing is paid.", "parts", "Choose a bill, or an order to pay in advance.")]
    if not Party.objects.filter(pk=request.party).exists():
        return [Problem("Choose who is paid.", "party")]
    found = []
    if request.rate is not None and request.rate <= 0:
        found.append(Problem("A rate is above 0.", "rate"))
    if request.bank is not None and request.bank <= 0:
        found.append(Problem("What left the bank is an amount above 0.", "bank", "Enter it without a sign."))
    if request.charges < 0:
        found.append(Problem("Charges of the bank are not below 0.", "charges"))
    keys = [(part.bill, part.order) for part in request.parts]
    if len(set(keys)) < len(keys):
        found.append(Problem("A bill or an order is there twice.", "parts", "Enter one amount for each."))
    paid = paid_of(bills)
    for number, part in enumerate(request.parts):
        found += _part_problems(request, number, part, bills, ordered, paid)
    return found


def _part_problems(request, number, part, bills, ordered, paid) -> list[Problem]:
    where = f"amount-{number}"
    if part.amount <= 0 or not is_whole(part.amount, request.currency) or part.amount > Decimal("999999999999"):
        return [Problem(f"This is no amount in {request.currency} to be paid.", where, "Enter it above 0.")]
    if part.discount < 0 or not is_whole(part.discount, request.currency):
        return [Problem("This is no discount.", f"discount-{number}")]
    if part.order and part.discount:
        return [Problem("A discount is taken off a bill, not off an advance.", f"discount-{number}")]
    if part.order:
        return _order_problems(request, where, ordered.get(part.order))
    bill = bills.get(part.bill or 0)
    if bill is None or (bill.company_id, bill.party_id) != (request.company, request.party):
        return [Problem("This is no bill of this party.", where, "Choose one of the list.")]
    if bill.reversed_by_id or bill.kind != Bill.Kind.BILL:
        return [Problem(f"{bill} is reversed, or is no bill.", where, "Choose another.")]
    if bill.currency != request.currency:
        return [Problem(f"{bill} is in {bill.currency}.", where, "Pay it on its own.")]
    if bill.blocked:
        return [Problem(f"{bill} is not to be paid for now: {bill.blocked}.", where, "Let it be paid on its page.")]
    if bill.needs_approval and not bill.approved_by_id:
        return [Problem(f"{bill} is not approved.", where, "A second person approves it.", record=("bill", bill.pk))]
    left = bill.owed - paid.get(bill.pk, Advance()).amount
    disputed = sum((line.disputed for line in bill.lines.all()), ZERO)
    if disputed and left >= part.amount + part.discount > left - disputed:
        what = f"{bill.currency} {money(disputed, bill.currency)} of {bill} is in dispute."
        return [Problem(what, where, f"Pay at most {money(left - disputed, bill.currency)}, or end the dispute.")]
    if part.amount + part.discount > left:
        what = f"{bill.currency} {money(left, bill.currency)} is open of {bill}."
        return [Problem(what, where, "Pay at most that much; pay more in advance on an order.")]
    return []


def _order_problems(request: PayRequest, where: str, order: PurchaseOrder | None) -> list[Problem]:
    if order is None or (order.company_id, order.supplier_id) != (request.company, request.party):
        return [Problem("This is no order of this supplier.", where, "Choose one of the list.")]
    if order.currency != request.currency:
        return [Problem(f"{order.number} is in {order.currency}.", where, f"Pay it in {order.currency}.")]
    return []


def paid_of(bills) -> dict[int, Advance]:
    """By bill (id), what is off it by standing payments: in its currency, discount included, and in base."""
    rows = PaymentPart.objects.filter(bill__in=list(bills), payment__reversed_by=None).values_list("bill").order_by()
    sums = rows.annotate(a=Sum("amount"), d=Sum("discount"), b=Sum("base"))
    return {bill: Advance(amount + discount, base) for bill, amount, discount, base in sums}


def worth_of(request: PayRequest, company: Company) -> Worth:
    """What the payment costs. Raises Refused where there is no rate for it."""
    base = company.currency
    account = _account(request, base)
    if account == request.currency != base:
        rate = request.rate or rate_for(company, request.currency, request.day, "payment")
        if request.bank not in (None, request.amount):
            raise Refused(Problem(f"The account is in {account}: {account} leaves it.", "bank", "Leave it empty."))
        return Worth(rate, account, request.amount, converted(request.amount, rate, base))
    if request.bank is not None:
        if request.currency == base and request.bank != request.amount:
            what = f"{base} {money(request.amount, base)} was paid, and {money(request.bank, base)} left the bank."
            raise Refused(Problem(what, "bank", "Enter what is above it as charges of the bank."))
        if not is_whole(request.bank, base):
            raise Refused(Problem(f"{base} has fewer decimals than this amount.", "bank"))
        return Worth(None if request.currency != base else ONE, base, request.bank, request.bank)
    rate = request.rate or rate_for(company, request.currency, request.day, "payment")
    worth = converted(request.amount, rate, base)
    return Worth(rate, base, worth, worth)


def _account(request: PayRequest, base: str) -> str:
    """The currency of the account that is paid from; without one, base currency."""
    if request.account is None:
        return base
    found = BankAccount.objects.filter(pk=request.account, company=request.company).first()
    if found is None:
        raise Refused(Problem("This is no account of the company.", "account", "Choose one of the list."))
    if found.currency not in (base, request.currency):
        what = f"The account is in {found.currency}; {request.currency} is paid."
        raise Refused(Problem(what, "account", f"Choose one in {base} or {request.currency}."))
    return found.currency


def _for_what(bills: dict[int, Bill], ordered: dict[int, PurchaseOrder]) -> str:
    names = [bill.number for bill in bills.values()] + [f"{order.number} in advance" for order in ordered.values()]
    shown = ", ".join(names[:5])
    return shown if len(names) <= 5 else f"{shown} and {len(names) - 5} more"


def _links(company: int, bills, ordered) -> list[Link]:
    return [("bill", bill.pk, company) for bill in bills] + [("order", order.pk, company) for order in ordered]


def _parts(request: PayRequest, payment: Payment, bills: dict[int, Bill]) -> list[PaymentPart]:
    """The parts with what they take off their bills, and what the money for them was worth."""
    currency, base = payment.currency, payment.company.currency
    worth = divided(to_minor(payment.bank_base, base), [to_minor(part.amount, currency) for part in request.parts])
    owed, paid = owed_of(bills), paid_of(bills)
    found = []
    for part, money_worth in zip(request.parts, worth, strict=True):
        paid_base = from_minor(money_worth, base)
        taken = paid_base
        if part.bill:
            before = _minor(paid.get(part.bill, Advance()), currency, base)
            whole = to_minor(part.amount + part.discount, currency)
            taken = from_minor(off(_minor(owed[part.bill], currency, base), before, whole), base)
        facts = {"amount": part.amount, "discount": part.discount, "base": taken, "paid_base": paid_base}
        found.append(PaymentPart(bill_id=part.bill, order_id=part.order, **facts))
    return found


def _minor(amounts: Advance, currency: str, base: str) -> Amounts:
    return Amounts(to_minor(amounts.amount, currency), to_minor(amounts.base, base))


def owed_of(bills: dict[int, Bill]) -> dict[int, Advance]:
    """By bill (id), what is owed by it in all, as it was booked: in its currency and in base."""
    entries = {bill.entry_id: bill for bill in bills.values()}
    rows = Posting.objects.filter(entry__in=entries, document_kind=DocumentKind.BILL).values_list("entry").order_by()
    sums = rows.filter(account__in=[bill.payable_account for bill in bills.values()])
    found = sums.annotate(a=Sum("foreign_amount"), b=Sum("amount"))
    return {entries[entry].pk: Advance(-amount, -base) for entry, amount, base in found}


def _drafts(payment: Payment, parts: Sequence[PaymentPart], bills: dict[int, Bill]) -> list[Draft]:
    """Bills and advances against the bank; what the money was worth beyond what it settles is exchange."""
    company, drafts = payment.company_id, []
    discounts = exchange = ZERO
    for part in parts:
        if part.order_id:
            drafts.append(_advance(payment, part))
            continue
        bill = bills[part.bill_id]
        drafts.append(payable_draft(bill, part.amount + part.discount, part.base))
        given = _discount_base(part, payment)
        discounts += given
        exchange += part.paid_base + given - part.base
    base = payment.company.currency
    drafts.append(Draft(company, Account.EXCHANGE, exchange))
    drafts.append(Draft(company, Account.DISCOUNTS_TAKEN, -discounts))
    drafts.append(Draft(company, Account.BANK_CHARGES, payment.charges))
    rate = payment.bank_base / payment.bank_amount if payment.bank_currency != base else ONE
    drafts.append(Draft(company, Account.BANK, -payment.bank_base, -payment.bank_amount, payment.bank_currency, rate))
    drafts.append(Draft(company, Account.BANK, -payment.charges, -payment.charges, base, ONE))
    return drafts


def _discount_base(part: PaymentPart, payment: Payment) -> Decimal:
    """The worth of the discount at the rate of what it takes off the bill."""
    if not part.discount:
        return ZERO
    whole = part.amount + part.discount
    return converted(part.base * part.discount / whole, ONE, payment.company.currency)


def _advance(payment: Payment, part: PaymentPart) -> Draft:
    return Draft(
        payment.company_id,
        Account.ADVANCES,
        part.paid_base,
        part.amount,
        payment.currency,
        payment.rate,
        party=payment.party_id,
        document_kind=DocumentKind.ORDER,
        document=part.order_id,
    )


@once
def reverse_payment(act: Act, request: ReverseRequest) -> int:
    """Undo a payment: its bills are open again, its advances are gone. Returns its id.

    Refused while goods have reserved more of the advances than would be left.
    """
    found = Payment.objects.select_for_update(of=("self",)).select_related("company", "party", "entry")
    payment = found.get(pk=request.record)
    act.require("pay", payment.company_id)
    refuse_reversal("payment", payment.reversed_by_id, request.reason)
    parts = list(payment.parts.select_related("bill", "order").order_by("pk"))
    ordered = [part.order for part in parts if part.order_id]
    orders.lock([order.pk for order in ordered])
    amount = f"{payment.currency} {money(payment.amount, payment.currency)}"
    text = f"Reversed the payment of {amount} to {payment.party}: {request.reason.strip()}"
    text += posting_note([payment.company_id], act.today)
    bills = [part.bill for part in parts if part.bill_id]
    links = [("payment", payment.pk, payment.company_id), *_links(payment.company_id, bills, ordered)]
    history = add_history(act, "reverse_payment", text, links, act.today)
    entry = open_entry(act, history, text, act.today, reverses=payment.entry)
    advances.give_up_paid(entry, payment.entry)
    refuse_if(_used(parts))
    mirror(entry, payment.entry, [])
    payments.mark_reversed(payment, entry)
    return payment.pk


def _used(parts: Sequence[PaymentPart]) -> list[Problem]:
    """Advances of which goods hold a part: they were valued by it, or their bill set it off."""
    left = open_advances([part.order_id for part in parts if part.order_id])
    problems = []
    for part in parts:
        if part.order_id and left.get(part.order_id, Advance()).amount < part.amount:
            what = f"Goods of {part.order.number} that are ours hold a part of this advance."
            mend = "Reverse their receipt or their bill first."
            problems.append(Problem(what, mend=mend, record=("order", part.order_id)))
    return problems
