"""Another basis for a charge, or shares by hand: what it does is shown first, and goods received take it up."""

from collections.abc import Sequence
from dataclasses import dataclass, replace
from decimal import Decimal

from northing.access.acts import Act
from northing.actions.billing.lines import BilledCharge, tranches_of
from northing.actions.billing.request import BillLineRequest
from northing.actions.costing import absorb, accruals
from northing.actions.costing.charges import links_of, require
from northing.actions.costing.scope import Goods, in_scope, lock_scope, scope_of
from northing.actions.costing.spread import Hand, Plan, Share, by_key, must_sum, plan
from northing.activity.operations import add_history, once
from northing.core.costing import charges as spreading
from northing.core.problems import Problem, refuse_if
from northing.costing import operations as costing
from northing.costing.models import Charge
from northing.ledger.operations import open_entry, post
from northing.ledger.queries import posting_note

ZERO = Decimal(0)
OFFICES = (Charge.Kind.DUTY, Charge.Kind.IMPORT_TAX)


@dataclass(frozen=True)
class RebaseRequest:
    """A charge (id) and the basis it is to be spread by.

    With `by_hand` the shares of goods in their company's base currency: (order line, shipment line or None, share); one
    that is left out is 0.
    """

    charge: int
    basis: str
    shares: tuple[Share, ...] = ()


def foresee_basis(request: RebaseRequest) -> Plan:
    """What the basis would do, without writing. Raises Refused."""
    charge = Charge.objects.select_related("company").get(pk=request.charge)
    return _planned(charge, request, in_scope(scope_of(charge)))


@once
def change_basis(act: Act, request: RebaseRequest) -> int:
    """Spread a charge by another basis, estimated or billed; between companies it stays divided as it was billed.

    Returns the charge's id.
    """
    charge = Charge.objects.select_for_update().get(pk=request.charge)
    goods = lock_scope(scope_of(charge))
    require(act, "estimate_charge" if charge.billed is None else "book_bill", charge.company_id, goods)
    found = _planned(charge, request, goods, lock=True)
    before = charge.spread_words
    charge.basis = request.basis
    costing.keep_basis(charge)
    costing.write_spread(charge, found.parts)
    words = f"{charge.get_kind_display()} of {charge.payee} is spread {charge.spread_words}, not {before} any more"
    companies = sorted({part.company for part in found.parts})
    text = f"{words}{posting_note(companies, act.today) if found.absorbed.late else ''}"
    history = add_history(act, "change_basis", text, links_of(charge, goods), act.today)
    if found.absorbed.late:
        entry = open_entry(act, history, text, act.today)
        post(entry, absorb.write(entry, found.absorbed))
        accruals.true_up(entry, [charge.pk])
    return charge.pk


def _planned(charge: Charge, request: RebaseRequest, goods: Sequence[Goods], *, lock: bool = False) -> Plan:
    refuse_if(_problems(charge, request))
    billed = BilledCharge(BillLineRequest(), "", charge, scope_of(charge), ZERO, goods)
    tranches = tranches_of(billed, None)
    if request.basis != Charge.Basis.BY_HAND:
        return plan(goods, request.basis, charge.currency, tranches, charge.pk, lock=lock)
    shares = by_key(request.shares)
    must_sum(goods, dict(charge.parts.values_list("company", "base_amount")), shares)
    # What companies bear stays to the cent: the shares that were given sum to it.
    open_part = {
        part.company_id: (part.amount - part.billed, part.base_amount - part.billed_base) for part in charge.parts.all()
    }
    tranches = [one if one.pinned else replace(one, pinned=open_part) for one in tranches]
    return plan(goods, request.basis, charge.currency, tranches, charge.pk, lock=lock, hand=Hand(shares))


def _problems(charge: Charge, request: RebaseRequest) -> list[Problem]:
    if charge.kind in OFFICES:
        return [Problem("Duty and import tax are spread as they were declared.", "basis", "Correct the customs entry.")]
    if charge.ended:
        return [Problem("The estimate has ended: there is nothing to spread.", "basis")]
    if request.basis not in spreading.BASES and request.basis != Charge.Basis.BY_HAND:
        return [Problem("Choose what it is spread by.", "basis")]
    return []
