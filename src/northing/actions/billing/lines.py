"""The lines of a bill beside the charges they bill: found, checked, and spread."""

from collections.abc import Sequence
from dataclasses import dataclass
from decimal import Decimal

from northing.actions.billing.request import BillLineRequest, BillRequest
from northing.actions.costing.charges import amount_problems, basis_of, hand_of, kind_problems
from northing.actions.costing.scope import Goods, Scope, scope_of
from northing.actions.costing.spread import Plan, Tranche, plan
from northing.billing.models import Bill, BillLine, BillLinePart
from northing.core.money.money import converted
from northing.core.problems import Problem, Refused
from northing.costing import operations as costing
from northing.costing.models import Charge

ZERO = Decimal(0)
NOTHING = Scope()


@dataclass
class BilledCharge:
    """A line as entered, the charge it bills (perhaps not saved yet) and the goods that bear it."""

    asked: BillLineRequest
    where: str
    charge: Charge
    scope: Scope
    amount: Decimal
    goods: Sequence[Goods] = ()

    @property
    def tranches_before(self) -> list[Tranche]:
        """The amounts of the charge on standing bills, divided as they were then."""
        lines = BillLine.objects.filter(charge=self.charge.pk, bill__reversed_by=None).order_by("pk")
        return [_tranche(line) for line in lines.select_related("bill").prefetch_related("parts")]


def _tranche(line: BillLine) -> Tranche:
    parts = {part.company_id: (part.amount, part.base_amount) for part in line.parts.all()}
    return Tranche(sum((part[0] for part in parts.values()), ZERO), line.bill.day, True, parts)


def tranches_of(line: BilledCharge, new: Tranche | None) -> list[Tranche]:
    """All amounts of a charge: standing bills, the new one, and the rest still expected. The new one comes last
    of the billed.
    """
    found = line.tranches_before + ([new] if new else [])
    if line.charge.rest:
        found.insert(0, Tranche(line.charge.rest, line.charge.estimated_on))
    return found


def billed_charges(request: BillRequest, over: Scope = NOTHING, *, lock: bool = False) -> list[BilledCharge]:
    """The lines of charges. Raises Refused with everything that is wrong with them.

    `over` is what a new charge lies over that names nothing: the goods of the bill.
    """
    charges = _charges(request, lock)
    sign = -1 if request.kind == Bill.Kind.CREDIT else 1
    problems, found = [], []
    for number, asked in enumerate(request.lines):
        if asked.of_goods:
            continue
        where = asked.where or f"line-{number}"
        problems += _at(where, amount_problems(asked.amount, request.currency, request.day))
        charge = charges.get(asked.charge or 0) if asked.charge else _new(request, asked)
        if charge is None:
            problems.append(Problem("There is no such charge.", where, "Choose one of the list."))
            continue
        problems += _at(where, _charge_problems(request, asked, charge))
        scope = asked.scope if asked.scope != NOTHING else scope_of(charge) if charge.pk else over
        found.append(BilledCharge(asked, where, charge, scope, sign * asked.amount))
    keys = [line.charge.pk for line in found if line.charge.pk]
    if len(set(keys)) < len(keys):
        problems.append(Problem("Two lines bill the same charge.", "lines", "Enter them as one line."))
    if problems:
        raise Refused(problems)
    return found


def _charges(request: BillRequest, lock: bool) -> dict[int, Charge]:
    charges = Charge.objects.select_for_update() if lock else Charge.objects.all()
    return charges.filter(pk__in=[one.charge for one in request.lines if one.charge]).order_by("pk").in_bulk()


def _new(request: BillRequest, asked: BillLineRequest) -> Charge:
    return Charge(
        company_id=request.company,
        payee_id=request.party,
        kind=asked.kind,
        basis=basis_of(asked.kind, asked.basis),
        currency=request.currency,
    )


def _at(where: str, problems: Sequence[Problem]) -> list[Problem]:
    """Problems of a line, where the page has a field of its own for it."""
    return [Problem(one.what, f"{one.where}-{where}" if where else one.where, one.mend) for one in problems]


def _charge_problems(request: BillRequest, asked: BillLineRequest, charge: Charge) -> list[Problem]:
    if charge.pk is None:
        return kind_problems(charge.kind, charge.basis, asked.shares)
    if charge.billed is None:
        changed = not asked.final and charge.estimated_currency != request.currency
        if changed:
            what = (
                f"The estimate is in {charge.estimated_currency}; a part of it cannot be billed in {request.currency}."
            )
            return [Problem(what, "charge", "Bill it as a whole, or enter a charge of its own.")]
        return kind_problems(asked.kind or charge.kind, asked.basis or Charge.Basis.VALUE, asked.shares)
    if request.kind == Bill.Kind.BILL and not charge.expected:
        mend = "Enter a charge of its own, or reverse that bill first."
        return [Problem(f"This charge is billed already ({charge.bill_numbers}).", "charge", mend)]
    same = (charge.currency, charge.payee_id, charge.company_id)
    if same != (request.currency, request.party, request.company):
        what = f"This charge is billed in {charge.currency} by {charge.payee}."
        return [Problem(what, "charge", "Enter a charge of its own for another currency, payee or company.")]
    return []


def take_on(request: BillRequest, line: BilledCharge) -> None:
    """The charge becomes what its bill says; in memory."""
    charge, asked = line.charge, line.asked
    if charge.billed is None:
        charge.company_id, charge.payee_id, charge.currency = request.company, request.party, request.currency
        charge.kind, charge.basis = asked.kind or charge.kind, asked.basis or charge.basis
        charge.billed_on = request.day
    charge.billed = (charge.billed or ZERO) + line.amount
    if request.kind == Bill.Kind.BILL:
        charge.closed_on = request.day if asked.final else None
    elif charge.pk is None:
        charge.closed_on = request.day


def write_charge(line: BilledCharge) -> None:
    """The charge as its bill has it now."""
    scope = line.scope
    costing.write_charge(line.charge, scope.shipments, scope.containers, scope.all_lines, scope.goods)


def spread_line(request: BillRequest, line: BilledCharge, rate: Decimal | None = None, *, lock: bool = False) -> Plan:
    """How a line's charge is spread with it, and what that does to layers; `rate` is the payer's, if not the day's."""
    rates = ((request.company, rate),) if rate else ()
    new = Tranche(line.amount, request.day, True, None, rates)
    charge = line.charge
    hand = hand_of(charge.kind, line.asked.shares)
    return plan(line.goods, charge.basis, charge.currency, tranches_of(line, new), charge.pk, lock=lock, hand=hand)


def parts_of(found: Plan, payer: int, payer_rate: Decimal, payer_currency: str) -> list[BillLinePart]:
    """Each company's part of the line that was spread last."""
    from_rates = found.rates[-1]
    return [
        BillLinePart(
            company_id=company,
            amount=amount,
            rate=from_rates[company],
            base_amount=base,
            payer_base=base if company == payer else converted(amount, payer_rate, payer_currency),
        )
        for company, (amount, base) in found.between[-1].items()
    ]
