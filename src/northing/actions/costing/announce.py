"""The payee of an expected charge announces its bill; we book the bill from the paper."""

from dataclasses import dataclass
from decimal import Decimal

from northing.access.acts import Act
from northing.actions.costing.charges import amount_problems, links_of
from northing.actions.costing.scope import in_scope, scope_of
from northing.activity.operations import add_history, once
from northing.core.problems import Problem, refuse_if
from northing.costing import operations as costing
from northing.costing.models import Charge
from northing.drawings.figures import money


@dataclass(frozen=True)
class AnnounceRequest:
    """The number and amount of a bill to come, in the currency of the expected charge (id)."""

    charge: int
    number: str
    amount: Decimal


@once
def announce_bill(act: Act, request: AnnounceRequest) -> int:
    """Write down what the payee says; nothing is posted. Returns the charge's id."""
    charge = Charge.objects.select_for_update(of=("self",)).select_related("payee").get(pk=request.charge)
    act.require_supplier(charge.payee_id)
    act.require("estimate_charge", charge.company_id)
    number, problems = request.number.strip(), amount_problems(request.amount, charge.currency, act.today)
    if not charge.expected:
        problems.append(Problem("No bill is expected for this any more.", "amount", "Write to us about it."))
    if not number or len(number) > 40:
        problems.append(Problem("A bill has a number of at most 40 characters.", "number", "It stands on the paper."))
    refuse_if(problems)
    costing.announce(charge, number, request.amount, act.today)
    amount = f"{charge.currency} {money(request.amount, charge.currency)}"
    text = f"{charge.payee} bills {amount} as {number}: {charge.get_kind_display().lower()}"
    add_history(act, "announce_bill", text, links_of(charge, in_scope(scope_of(charge))), shared=True)
    return charge.pk
