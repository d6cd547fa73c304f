"""Settle between companies of the firm: what one owes the other for bills that it was billed, netted and paid."""

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date
from decimal import Decimal

from northing.access.acts import Act, future_problem
from northing.actions.reversal import ReverseRequest, refuse_reversal
from northing.activity.operations import add_history, once
from northing.core.money.money import converted
from northing.core.problems import Problem, Refused, refuse_if
from northing.drawings.figures import money
from northing.ledger.models import Account, DocumentKind, OpenItem
from northing.ledger.operations import Draft, mirror, open_entry, post
from northing.ledger.queries import posting_note
from northing.masterdata.models import Company
from northing.masterdata.queries import rate_for
from northing.payments import operations as payments
from northing.payments.models import BetweenPart, BetweenPayment
from northing.payments.queries import DueBetween, due_between

ZERO = Decimal(0)


@dataclass(frozen=True)
class BetweenRequest:
    """All that two companies (ids) owe each other in a currency, paid on a day, at the days' rates unless said."""

    first: int
    second: int
    currency: str
    day: date
    first_rate: Decimal | None = None
    second_rate: Decimal | None = None


@once
def settle_between(act: Act, request: BetweenRequest) -> int:
    """Net what two companies owe each other, and pay the rest. Returns the payment's id."""
    act.require("pay", request.first, request.second)
    companies = Company.objects.in_bulk([request.first, request.second])
    problems = future_problem(request.day, act, "day")
    if any(rate is not None and rate <= 0 for rate in (request.first_rate, request.second_rate)):
        problems.append(Problem("A rate is above 0.", "rate"))
    refuse_if(problems)
    _lock(request)
    found = due_between(request.first, request.second, request.currency)
    if not found:
        what = f"Nothing in {request.currency} is open between these companies."
        raise Refused(Problem(what, "currency", "Choose one of the list."))
    net = sum((one.amount for one in found), ZERO)
    said = {request.first: request.first_rate, request.second: request.second_rate}
    payer, payee = (request.first, request.second) if net >= 0 else (request.second, request.first)
    worth = {key: _worth(companies[key], request, abs(net), said[key]) for key in (payer, payee)}
    payment = BetweenPayment(
        payer=companies[payer],
        payee=companies[payee],
        day=request.day,
        currency=request.currency,
        amount=abs(net),
        payer_base=worth[payer],
        payee_base=worth[payee],
        entered_by=act.person,
        at=act.at,
    )
    amount = f"{request.currency} {money(abs(net), request.currency)}"
    text = f"{companies[payer]} settled {amount} with {companies[payee]}{posting_note([payer, payee], request.day)}"
    links = [("company", key, key) for key in (payer, payee)]
    history = add_history(act, "settle_between", text, links, request.day)
    payment.entry = open_entry(act, history, text, request.day)
    payments.write_between(payment, [_part(one) for one in found])
    post(payment.entry, _drafts(payment, found))
    return payment.pk


def _lock(request: BetweenRequest) -> None:
    """Two people settle one after the other."""
    items = OpenItem.objects.select_for_update().filter(
        account__in=(Account.DUE_TO, Account.DUE_FROM),
        company__in=(request.first, request.second),
        currency=request.currency,
    )
    list(items.order_by("pk").values_list("pk", flat=True))


def _worth(company: Company, request: BetweenRequest, amount: Decimal, rate: Decimal | None) -> Decimal:
    if not amount:
        return ZERO
    rate = rate or rate_for(company, request.currency, request.day, "payment")
    return converted(amount, rate, company.currency)


def _part(one: DueBetween) -> BetweenPart:
    bases = {"debtor_base": one.debtor_base, "creditor_base": one.creditor_base}
    return BetweenPart(part_id=one.part, amount=one.debt, **bases)


def _drafts(payment: BetweenPayment, found: Sequence[DueBetween]) -> list[Draft]:
    """Both companies' debts are gone; what the money was worth beyond them is exchange, in the books of either."""
    drafts: list[Draft] = []
    left = {payment.payer_id: -payment.payer_base, payment.payee_id: payment.payee_base}
    currencies = {payment.payer_id: payment.payer.currency, payment.payee_id: payment.payee.currency}
    for company, sign, base in ((payment.payer_id, -1, payment.payer_base), (payment.payee_id, 1, payment.payee_base)):
        drafts.append(Draft(company, Account.BANK, sign * base, sign * base, currencies[company], Decimal(1)))
    for one in found:
        for company, account, foreign, base in (
            (one.debtor, Account.DUE_TO, one.debt, one.debtor_base),
            (one.creditor, Account.DUE_FROM, -one.debt, -one.creditor_base),
        ):
            left[company] += base
            drafts.append(
                Draft(
                    company,
                    account,
                    base,
                    foreign,
                    payment.currency,
                    document_kind=DocumentKind.BILL_PART,
                    document=one.part,
                )
            )
    return drafts + [Draft(company, Account.EXCHANGE, -base) for company, base in left.items()]


@once
def reverse_between(act: Act, request: ReverseRequest) -> int:
    """Undo a settlement between companies: what they owe each other is open again. Returns its id."""
    payment = BetweenPayment.objects.select_for_update(of=("self",)).select_related("payer", "payee", "entry")
    found = payment.get(pk=request.record)
    act.require("pay", found.payer_id, found.payee_id)
    refuse_reversal("settlement", found.reversed_by_id, request.reason)
    text = f"Reversed what {found.payer} settled with {found.payee}: {request.reason.strip()}"
    links = [("company", key, key) for key in (found.payer_id, found.payee_id)]
    history = add_history(act, "reverse_between", text, links, act.today)
    entry = open_entry(act, history, text, act.today, reverses=found.entry)
    mirror(entry, found.entry, [])
    payments.mark_between_reversed(found, entry)
    return found.pk
