"""Pay: money leaves our bank for bills, parts of them, and advances; credits are set off; and the way back."""

from collections.abc import Iterable, Sequence
from decimal import Decimal

from django.db import transaction
from django.db.models import Sum

from northing.access.acts import Act, future_problem
from northing.actions.billing.bills import payable_draft
from northing.actions.costing import advances
from northing.actions.payments.request import PartRequest, PayRequest, worth_of
from northing.actions.reversal import ReverseRequest, refuse_reversal
from northing.actions.shipping.balance_paid import open_balances, settle_balances
from northing.actions.worklist.deposits import refresh_deposits
from northing.activity.operations import Link, add_history, add_links, once
from northing.billing import operations as billing
from northing.billing.models import Bill
from northing.core.billing.advances import Amounts
from northing.core.billing.pay import off, paying_worth
from northing.core.money.exact import plain
from northing.core.money.money import MINOR_UNITS, converted, from_minor, is_whole, to_minor
from northing.core.problems import Problem, refuse_if
from northing.drawings.figures import money
from northing.ledger.models import Account, DocumentKind, Posting
from northing.ledger.operations import Draft, mirror, open_entry, post
from northing.ledger.queries import posting_note
from northing.masterdata.models import Company, Party
from northing.messaging.webhooks import announce
from northing.orders import operations as orders
from northing.orders.models import PurchaseOrder
from northing.payments import operations as payments
from northing.payments.models import AskedPayment, Payment, PaymentPart
from northing.payments.queries import Advance, open_advances

ZERO, ONE = Decimal(0), Decimal(1)


@once
def pay(act: Act, request: PayRequest) -> int:
    """Pay bills, parts of them, and advances. Returns the payment's id.

    Refused where it is worth more than one person pays alone.
    """
    return _pay(act, request, approved=False)


@once
def pay_approved(act: Act, request: PayRequest) -> int:
    """Make a payment that a second person approved. Returns its id."""
    return _pay(act, request, approved=True)


def try_payment(act: Act, request: PayRequest) -> tuple[Decimal, Decimal]:
    """What a payment comes to, and what that is worth in base currency; nothing is made of it.

    Raises Refused as paying would.
    """
    with transaction.atomic():
        payment = Payment.objects.get(pk=_pay(act, request, approved=True))
        transaction.set_rollback(True)
    return payment.amount, payment.bank_base + payment.withheld_base


def _pay(act: Act, request: PayRequest, *, approved: bool) -> int:
    act.require("pay", request.company)
    bills, ordered = _locked(request)
    refuse_if(future_problem(request.day, act, "day") + _problems(request, bills, ordered))
    refuse_if([] if approved else asked_problems(bills))
    company = Company.objects.get(pk=request.company)
    amount = sum((_sign(part, bills) * part.amount for part in request.parts), ZERO)
    refuse_if(_amount_problems(request, amount))
    worth = worth_of(request, company, amount)
    refuse_if([] if approved else _approval_problems(company, worth.base + worth.withheld))
    payment = Payment(
        company=company,
        party_id=request.party,
        account_id=request.account,
        day=request.day,
        currency=request.currency,
        amount=amount,
        withheld=request.withheld,
        withheld_base=worth.withheld,
        rate=worth.rate,
        bank_currency=worth.bank_currency,
        bank_amount=worth.bank_amount,
        bank_base=worth.base,
        charges=request.charges,
        remark=request.remark.strip(),
        entered_by=act.person,
        at=act.at,
    )
    text = f"{_done(payment)}: {_for_what(request, bills, ordered)}{posting_note([company.pk], request.day)}"
    history = add_history(act, "pay", text, _links(company.pk, bills.values(), ordered.values()), request.day)
    payment.entry = entry = open_entry(act, history, text, request.day)
    parts = _parts(request, payment, bills)
    payments.write_payment(payment, parts)
    add_links(history, [("payment", payment.pk, company.pk)])
    post(entry, _drafts(payment, parts, bills))
    _due_next(bills.values())
    for part in parts:
        if part.order_id and not part.set_off:
            order = ordered[part.order_id]
            advances.reserve_paid(entry, order, Advance(part.amount, part.paid_base))
    refresh_deposits(ordered)
    settle_balances(act, bills, request.day, payment.pk)
    announce(act, "paid", lambda: [(_told(payment, bills), [company.pk])])
    return payment.pk


def _told(payment: Payment, bills: dict[int, Bill]) -> dict[str, object]:
    """What other programs are told of a payment."""
    return {
        "id": payment.pk,
        "party": payment.party.code,
        "currency": payment.currency,
        "amount": plain(payment.amount),
        "on": payment.day.isoformat(),
        "bills": [bill.number for bill in bills.values()],
    }


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
    if request.withheld < 0 or not is_whole(request.withheld, request.currency):
        found.append(Problem("This is no amount to be withheld.", "withheld", "Enter it above 0, or leave it empty."))
    keys = [(part.bill, part.order) for part in request.parts]
    if len(set(keys)) < len(keys):
        found.append(Problem("A bill or an order is there twice.", "parts", "Enter one amount for each."))
    paid, left = paid_of(bills), open_advances(ordered)
    for number, part in enumerate(request.parts):
        found += _part_problems(request, number, part, bills, ordered, paid, left)
    return found


def asked_problems(bills: Iterable[int]) -> list[Problem]:
    """Another payment of these bills (ids) that waits for a second person."""
    waiting = AskedPayment.objects.filter(bills__in=list(bills), state=AskedPayment.State.WAITS).first()
    if waiting is None:
        return []
    what = f"A payment of {waiting.currency} {money(waiting.amount, waiting.currency)} waits for approval."
    return [Problem(what, "parts", "Approve or drop that one first: it stands under To pay, To approve.")]


def _approval_problems(company: Company, worth: Decimal) -> list[Problem]:
    """What is worth more than the company lets one person pay."""
    limit, base = company.payment_approval_above, company.currency
    if limit is None or worth <= limit:
        return []
    what = f"It is worth {base} {money(worth, base)}; above {base} {money(limit, base)} a second person approves."
    return [Problem(what, "parts", "Ask for it under To pay; a second person approves it there.")]


def _amount_problems(request: PayRequest, amount: Decimal) -> list[Problem]:
    """What is paid in all, against what is withheld and what the bank says of it."""
    if request.withheld and request.withheld >= amount:
        return [Problem("More is withheld than is paid.", "withheld", "Withhold less.")]
    if not amount and (request.bank or request.charges):
        return [Problem("Nothing leaves the bank: all of it is set off.", "bank", "Leave the bank's figures empty.")]
    return []


def _sign(part: PartRequest, bills: dict[int, Bill]) -> int:
    """1 for what is paid, -1 for what is set off or comes back."""
    return -1 if part.set_off or (part.bill and bills[part.bill].kind == Bill.Kind.CREDIT) else 1


def _done(payment: Payment) -> str:
    """What happened, for the story."""
    amount = f"{payment.currency} {money(abs(payment.amount), payment.currency)}"
    if payment.amount > 0:
        return f"Paid {amount} to {payment.party}"
    return f"Got {amount} back from {payment.party}" if payment.amount else f"Set off for {payment.party}"


def _part_problems(request, number, part, bills, ordered, paid, advanced) -> list[Problem]:
    where = f"amount-{number}"
    if part.amount <= 0 or not is_whole(part.amount, request.currency) or part.amount > Decimal("999999999999"):
        return [Problem(f"This is no amount in {request.currency} to be paid.", where, "Enter it above 0.")]
    if part.discount < 0 or not is_whole(part.discount, request.currency):
        return [Problem("This is no discount.", f"discount-{number}")]
    if part.order and part.discount:
        return [Problem("A discount is taken off a bill, not off an advance.", f"discount-{number}")]
    if part.order:
        return _order_problems(request, where, part, ordered.get(part.order), advanced)
    bill = bills.get(part.bill or 0)
    if bill is None or (bill.company_id, bill.party_id) != (request.company, request.party):
        return [Problem("This is no bill of this party.", where, "Choose one of the list.")]
    if bill.reversed_by_id:
        return [Problem(f"{bill} is reversed.", where, "Choose another.")]
    if bill.kind == Bill.Kind.CREDIT and part.discount:
        return [Problem("A discount is taken off a bill, not off a credit note.", f"discount-{number}")]
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


def _order_problems(
    request: PayRequest, where: str, part: PartRequest, order: PurchaseOrder | None, advanced: dict[int, Advance]
) -> list[Problem]:
    if order is None or (order.company_id, order.supplier_id) != (request.company, request.party):
        return [Problem("This is no order of this supplier.", where, "Choose one of the list.")]
    if order.currency != request.currency:
        return [Problem(f"{order.number} is in {order.currency}.", where, f"Pay it in {order.currency}.")]
    left = advanced.get(order.pk, Advance()).amount
    if part.set_off and part.amount > left:
        what = f"{order.currency} {money(left, order.currency)} of the advance on {order.number} is open."
        return [Problem(what, where, "Set off at most that; the rest belongs to goods that are ours or billed.")]
    return []


def paid_of(bills) -> dict[int, Advance]:
    """By bill (id), what is off it by standing payments: in its currency, discount included, and in base."""
    rows = PaymentPart.objects.filter(bill__in=list(bills), payment__reversed_by=None).values_list("bill").order_by()
    sums = rows.annotate(a=Sum("amount"), d=Sum("discount"), b=Sum("base"))
    return {bill: Advance(amount + discount, base) for bill, amount, discount, base in sums}


def _for_what(request: PayRequest, bills: dict[int, Bill], ordered: dict[int, PurchaseOrder]) -> str:
    names = []
    for part in sorted(request.parts, key=lambda part: _sign(part, bills), reverse=True):
        name = bills[part.bill].number if part.bill else f"{ordered[part.order or 0].number} in advance"
        names.append(name if _sign(part, bills) > 0 else f"less {name}")
    shown = ", ".join(names[:5])
    return shown if len(names) <= 5 else f"{shown} and {len(names) - 5} more"


def _links(company: int, bills, ordered) -> list[Link]:
    return [("bill", bill.pk, company) for bill in bills] + [("order", order.pk, company) for order in ordered]


def _parts(request: PayRequest, payment: Payment, bills: dict[int, Bill]) -> list[PaymentPart]:
    """The parts with what they take off their items, and what the money for them was worth.

    What is set off is worth what it stood at; with the bank's money that pays the rest.
    """
    currency, base = payment.currency, payment.company.currency
    taken = _taken(request, bills, currency, base)
    against = [one for one, part in zip(taken, request.parts, strict=True) if _sign(part, bills) < 0]
    money_worth = to_minor(payment.bank_base + payment.withheld_base, base)
    worth = iter(paying_worth(money_worth, against, *_whole(request, bills, currency)))
    found = []
    for part, off_item in zip(request.parts, taken, strict=True):
        set_off = _sign(part, bills) < 0
        paid_base = from_minor(off_item if set_off else next(worth), base)
        in_advance = part.order and not set_off
        facts = {"amount": part.amount, "discount": part.discount, "set_off": set_off, "paid_base": paid_base}
        facts["base"] = paid_base if in_advance else from_minor(off_item, base)
        found.append(PaymentPart(bill_id=part.bill, order_id=part.order, **facts))
    return found


def _whole(request: PayRequest, bills: dict[int, Bill], currency: str) -> tuple[list[int], int]:
    """The amounts that are paid, and all that is set off against them, in minor units."""
    signed = [_sign(part, bills) * to_minor(part.amount, currency) for part in request.parts]
    return [one for one in signed if one > 0], -sum(one for one in signed if one < 0)


def _taken(request: PayRequest, bills: dict[int, Bill], currency: str, base: str) -> list[int]:
    """What each part takes off its bill, credit note or open advance, in base; 0 for what is paid in advance."""
    owed, paid = owed_of(bills), paid_of(bills)
    advanced = open_advances([part.order for part in request.parts if part.set_off and part.order])
    found = []
    for part in request.parts:
        whole = to_minor(part.amount + part.discount, currency)
        if part.bill:
            before = _minor(paid.get(part.bill, Advance()), currency, base)
            found.append(off(_minor(owed[part.bill], currency, base), before, whole))
        elif part.set_off:
            left = _minor(advanced[part.order or 0], currency, base)
            found.append(off(left, Amounts(0, 0), whole))
        else:
            found.append(0)
    return found


def _minor(amounts: Advance, currency: str, base: str) -> Amounts:
    return Amounts(to_minor(amounts.amount, currency), to_minor(amounts.base, base))


def owed_of(bills: dict[int, Bill]) -> dict[int, Advance]:
    """By bill or credit note (id), what is owed by it in all, as it was booked: in its currency and in base."""
    entries = {bill.entry_id: bill for bill in bills.values()}
    rows = Posting.objects.filter(entry__in=entries, document_kind=DocumentKind.BILL).values_list("entry").order_by()
    sums = rows.filter(account__in=[bill.payable_account for bill in bills.values()])
    found = sums.annotate(a=Sum("foreign_amount"), b=Sum("amount"))
    signs = {entry: -bill.sign for entry, bill in entries.items()}
    return {entries[entry].pk: Advance(signs[entry] * a, signs[entry] * b) for entry, a, b in found}


def _drafts(payment: Payment, parts: Sequence[PaymentPart], bills: dict[int, Bill]) -> list[Draft]:
    """Bills and advances against the bank; what the money was worth beyond what it settles is exchange."""
    company, drafts = payment.company_id, []
    discounts, settled = ZERO, ZERO
    for part in parts:
        settled += part.sign * part.base
        if part.order_id:
            drafts.append(_advance(payment, part))
            continue
        drafts.append(
            payable_draft(bills[part.bill_id], part.sign * (part.amount + part.discount), part.sign * part.base)
        )
        discounts += _discount_base(part, payment)
    exchange = payment.bank_base + payment.withheld_base + discounts - settled
    withheld = Draft(company, Account.WITHHOLDING, -payment.withheld_base, -payment.withheld, payment.currency)
    drafts.append(withheld)
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
        part.sign * part.base,
        part.sign * part.amount,
        payment.currency,
        None if part.set_off else payment.rate,
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
    amount = f"{payment.currency} {money(abs(payment.amount), payment.currency)}"
    what = f"{amount} {'to' if payment.amount > 0 else 'from'} {payment.party}"
    text = f"Reversed the payment of {what}: {request.reason.strip()}"
    text += posting_note([payment.company_id], act.today)
    bills = [part.bill for part in parts if part.bill_id]
    links = [("payment", payment.pk, payment.company_id), *_links(payment.company_id, bills, ordered)]
    history = add_history(act, "reverse_payment", text, links, act.today)
    entry = open_entry(act, history, text, act.today, reverses=payment.entry)
    advances.give_up_paid(entry, payment.entry)
    refuse_if(_used(parts))
    mirror(entry, payment.entry, [])
    payments.mark_reversed(payment, entry)
    _due_next(bills)
    refresh_deposits([order.pk for order in ordered])
    open_balances(act, payment.pk)
    return payment.pk


def _due_next(bills: Iterable[Bill]) -> None:
    """Bills in instalments are due when the next that is open is."""
    parts = Bill.objects.filter(pk__in=[bill.pk for bill in bills], instalments__isnull=False).distinct()
    found = list(parts.select_related("company").prefetch_related("instalments"))
    paid = paid_of([bill.pk for bill in found])
    for bill in found:
        billing.due_next(bill, bill.due_shares(bill.owed - paid.get(bill.pk, Advance()).amount)[0][0])


def _used(parts: Sequence[PaymentPart]) -> list[Problem]:
    """Advances of which goods hold a part: they were valued by it, or their bill set it off."""
    parts = [part for part in parts if part.order_id and not part.set_off]
    left = open_advances([part.order_id for part in parts])
    problems = []
    for part in parts:
        if left.get(part.order_id, Advance()).amount < part.amount:
            what = f"A part of this advance on {part.order.number} is used: by goods, by a bill, or set off."
            mend = "Reverse their receipt or bill, or the payment that set it off, first."
            problems.append(Problem(what, mend=mend, record=("order", part.order_id)))
    return problems
