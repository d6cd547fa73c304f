"""Approve a bill for payment, keep it from being paid for a reason, and end a dispute about its price."""

from dataclasses import dataclass

from northing.access.acts import Act
from northing.access.permissions import limit_of
from northing.actions.worklist.refresh import bring_along
from northing.activity.operations import add_history, once
from northing.billing import operations as billing
from northing.billing.models import Bill
from northing.core.money.money import converted
from northing.core.problems import NotAllowed, Problem, Refused
from northing.drawings.figures import money


@dataclass(frozen=True)
class ApproveRequest:
    """A bill (its id)."""

    bill: int


@dataclass(frozen=True)
class BlockRequest:
    """A bill (its id) and why it is not paid for now; no reason lets it be paid again."""

    bill: int
    reason: str


def _locked(bill: int) -> Bill:
    found = Bill.objects.select_for_update(of=("self",)).select_related("company", "party").get(pk=bill)
    if found.reversed_by_id:
        raise Refused(Problem(f"{found} is reversed.", mend="Reload the page."))
    return found


def _told(act: Act, bill: Bill, action: str, text: str) -> None:
    add_history(act, action, text, [("bill", bill.pk, None)])


@once
def approve_bill(act: Act, request: ApproveRequest) -> int:
    """A second person approves a bill up to the amount of their role. Returns its id."""
    bill = _locked(request.bill)
    act.require("approve_bill", bill.company_id)
    if not bill.needs_approval or bill.approved_by_id:
        raise Refused(Problem(f"{bill} needs no approval.", mend="Reload the page."))
    if bill.entered_by_id == act.person.pk:
        raise NotAllowed(Problem("You entered this bill.", mend="A second person approves it."))
    limit = limit_of(act.person, "approve_bill", bill.company_id)
    worth = converted(bill.total, bill.rate, bill.company.currency)
    if limit is not None and worth > limit:
        base = bill.company.currency
        what = f"The bill is worth {base} {money(worth, base)}; you may approve up to {base} {money(limit, base)}."
        raise NotAllowed(Problem(what, mend="Ask a person with a higher limit."))
    billing.approve(bill, act.person, act.at)
    bring_along(bills=[bill.pk])
    _told(act, bill, "approve_bill", f"Approved {bill} of {bill.party} for payment")
    return bill.pk


@once
def block_bill(act: Act, request: BlockRequest) -> int:
    """Keep a bill from being paid, or let it be paid again. Returns its id."""
    bill = _locked(request.bill)
    act.require("book_bill", bill.company_id)
    reason = request.reason.strip()
    if len(reason) > 120:
        raise Refused(Problem("The reason is too long.", "reason", "120 signs are enough."))
    if reason == bill.blocked:
        if reason:
            raise Refused(Problem("The bill is kept back for this reason already.", "reason", "Reload the page."))
        raise Refused(Problem("The bill is not kept back.", "reason", "Say why it is not to be paid for now."))
    billing.block(bill, reason)
    words = f"is not to be paid for now: {reason}" if reason else "may be paid again"
    _told(act, bill, "block_bill", f"{bill} of {bill.party} {words}")
    return bill.pk


@once
def end_dispute(act: Act, request: ApproveRequest) -> int:
    """What was disputed of a bill is accepted: it may be paid. Returns its id."""
    bill = _locked(request.bill)
    act.require("book_bill", bill.company_id)
    lines = bill.lines.filter(disputed__gt=0)
    total = sum(line.disputed for line in lines)
    if not total:
        raise Refused(Problem(f"Nothing of {bill} is in dispute.", mend="Reload the page."))
    billing.settle_dispute(bill)
    bring_along(bills=[bill.pk])
    amount = f"{bill.currency} {money(total, bill.currency)}"
    _told(act, bill, "end_dispute", f"Accepted {amount} of {bill} of {bill.party} that was in dispute")
    return bill.pk
