"""Payments that a second person approves: asked for, approved and made, or dropped."""

from dataclasses import dataclass, replace
from datetime import date
from decimal import Decimal

from northing.access.acts import Act
from northing.access.permissions import limit_of
from northing.actions.payments.pay import asked_problems, pay, pay_approved, try_payment
from northing.actions.payments.request import PartRequest, PayRequest
from northing.actions.worklist.payments import refresh_asked
from northing.activity.operations import add_history, once
from northing.billing.models import Bill
from northing.core.money.exact import plain
from northing.core.problems import NotAllowed, Problem, Refused, refuse_if
from northing.drawings.figures import money
from northing.masterdata.models import Company
from northing.payments import operations as payments
from northing.payments.models import AskedPayment


@dataclass(frozen=True)
class AskedRequest:
    """A payment that waits (its id), and why it is dropped."""

    asked: int
    reason: str = ""


@once
def pay_or_ask(act: Act, request: PayRequest) -> dict[str, int]:
    """Pay; or ask for it, where it is worth more than one person pays alone.

    Returns the id of the `payment`, or of the one that is `asked` for.
    """
    limit = Company.objects.values_list("payment_approval_above", flat=True).get(pk=request.company)
    if limit is None or try_payment(act.inner(), request)[1] <= limit:
        return {"payment": pay(act.inner(), request)}
    return {"asked": ask_payment(act.inner(), request)}


@once
def ask_payment(act: Act, request: PayRequest) -> int:
    """Ask for a payment: it is whole, and waits for a second person. Returns its id."""
    act.require("pay", request.company)
    bills = [part.bill for part in request.parts if part.bill]
    # Locked until this one is asked for: two people do not ask for the same.
    list(Bill.objects.select_for_update().filter(pk__in=bills).order_by("pk").values_list("pk", flat=True))
    refuse_if(asked_problems(bills))
    amount, worth = try_payment(act.inner(), request)
    asked = AskedPayment(
        company_id=request.company,
        party_id=request.party,
        day=request.day,
        currency=request.currency,
        amount=amount,
        worth=worth,
        facts=_as_texts(request),
        asked_by=act.person,
        at=act.at,
    )
    payments.ask(asked, bills)
    text = f"Asked for a payment of {asked.currency} {money(asked.amount, asked.currency)} to {asked.party}"
    add_history(act, "ask_payment", text, [("asked", asked.pk, asked.company_id)])
    refresh_asked([asked.pk])
    return asked.pk


def _locked(asked: int) -> AskedPayment:
    found = AskedPayment.objects.select_for_update(of=("self",)).select_related("company", "party").get(pk=asked)
    if found.state != AskedPayment.State.WAITS:
        raise Refused(Problem(f"This payment is {found.get_state_display().lower()}.", mend="Reload the page."))
    return found


@once
def approve_payment(act: Act, request: AskedRequest) -> int:
    """A second person approves a payment up to the limit of their role, and it is made. Returns the payment's id."""
    asked = _locked(request.asked)
    act.require("approve_bill", asked.company_id)
    if asked.asked_by_id == act.person.pk:
        raise NotAllowed(Problem("You asked for this payment.", mend="A second person approves it."))
    limit, base = limit_of(act.person, "approve_bill", asked.company_id), asked.company.currency
    if limit is not None and asked.worth > limit:
        what = f"It is worth {base} {money(asked.worth, base)}; you may approve up to {base} {money(limit, base)}."
        raise NotAllowed(Problem(what, mend="Ask a person with a higher limit."))
    made = pay_approved(replace(act.inner(), person=asked.asked_by), _request(asked.facts))
    payments.end_asked(asked, AskedPayment.State.MADE, payment=made)
    text = f"Approved the payment of {asked.currency} {money(asked.amount, asked.currency)} to {asked.party}"
    links = [("asked", asked.pk, asked.company_id), ("payment", made, asked.company_id)]
    add_history(act, "approve_payment", text, links)
    refresh_asked([asked.pk])
    return made


@once
def drop_payment(act: Act, request: AskedRequest) -> int:
    """A payment that waits is not made. Returns its id."""
    asked = _locked(request.asked)
    act.require("pay", asked.company_id)
    reason = " ".join(request.reason.split())[:120]
    if not reason:
        raise Refused(Problem("Say why it is not made.", "reason"))
    payments.end_asked(asked, AskedPayment.State.DROPPED, reason=reason)
    amount = f"{asked.currency} {money(asked.amount, asked.currency)}"
    text = f"The payment of {amount} to {asked.party} is not made: {reason}"
    add_history(act, "drop_payment", text, [("asked", asked.pk, asked.company_id)])
    refresh_asked([asked.pk])
    return asked.pk


NAMES = ("company", "party", "currency", "account", "remark")
NUMBERS = ("rate", "bank", "charges", "withheld")


def _as_texts(request: PayRequest) -> dict:
    """The payment as it is kept until it is approved."""
    found: dict[str, object] = {name: getattr(request, name) for name in NAMES}
    found |= {name: plain(value) for name in NUMBERS if (value := getattr(request, name)) is not None}
    parts = [
        {
            "amount": plain(one.amount),
            "discount": plain(one.discount),
            "bill": one.bill,
            "order": one.order,
            "set_off": one.set_off,
        }
        for one in request.parts
    ]
    return found | {"day": request.day.isoformat(), "parts": parts}


def _request(facts: dict) -> PayRequest:
    parts = tuple(
        PartRequest(Decimal(one["amount"]), one["bill"], one["order"], Decimal(one["discount"]), one["set_off"])
        for one in facts["parts"]
    )
    figures = {name: Decimal(facts[name]) for name in NUMBERS if name in facts}
    named = {name: facts[name] for name in NAMES}
    return PayRequest(day=date.fromisoformat(facts["day"]), parts=parts, **named, **figures)
