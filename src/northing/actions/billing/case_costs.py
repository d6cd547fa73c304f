"""Costs of a case on a provider's bill: rework, the freight of a return, a survey.

Each goes into the cost of the goods, into the claim of the case, or is our loss; the provider is owed either way.
"""

from collections.abc import Sequence
from dataclasses import dataclass

from northing.actions.billing.request import BillLineRequest, BillRequest
from northing.actions.costing import absorb
from northing.actions.costing.absorb import Absorption
from northing.actions.costing.charges import amount_problems
from northing.actions.costing.rework import alone
from northing.actions.quality.inspect import locked_layer
from northing.billing.models import Bill, BillLine
from northing.claims import operations as claims
from northing.claims.models import Claim, ClaimAmount
from northing.core.money.money import converted
from northing.core.problems import Problem, Refused
from northing.ledger.models import Account, DocumentKind, Entry
from northing.ledger.operations import Draft
from northing.orders.models import OrderLine
from northing.reports.standing import settled_of


@dataclass(frozen=True)
class CaseCost:
    """A line as entered, and the case that it is a cost of."""

    asked: BillLineRequest
    where: str
    case: Claim

    @property
    def line(self) -> OrderLine:
        """The order line of its goods."""
        return self.case.layer.shipment_line.instalment.line


def case_costs(request: BillRequest, *, lock: bool = False) -> list[CaseCost]:
    """The lines of a bill that are costs of cases. Raises Refused with everything that is wrong with them."""
    asked = [(one.where or f"line-{number}", one) for number, one in enumerate(request.lines) if one.case]
    if request.kind != Bill.Kind.BILL or not asked:
        return []
    found = Claim.objects.select_for_update(of=("self",)) if lock else Claim.objects.all()
    found = found.filter(pk__in=[one.case for _, one in asked], company=request.company, withdrawn_at=None)
    found = found.exclude(kind__in=Claim.OF_NO_ORDER)
    related = ("layer__item", "layer__company", "layer__shipment_line__instalment__line__order", "against")
    cases = found.select_related(*related).order_by("pk").in_bulk()
    problems = [one for where, line in asked for one in _problems(request, line, where, cases)]
    if problems:
        raise Refused(problems)
    return [CaseCost(line, where, cases[line.case or 0]) for where, line in asked]


def _problems(request: BillRequest, line: BillLineRequest, where: str, cases: dict[int, Claim]) -> list[Problem]:
    found = []
    if (line.case or 0) not in cases:
        found.append(Problem("There is no such case in this company.", where, "Choose one that is open."))
    if line.into not in BillLine.Into:
        found.append(Problem("Say where this cost goes.", "into", "Into the goods, into the claim, or a loss."))
    found += amount_problems(line.amount, request.currency, request.day)
    if line.amount < 0:
        found.append(Problem("A cost is above 0.", "amount", "Enter what is credited as a credit note."))
    owes = cases[line.case].against_id if line.case in cases else None
    if line.into == BillLine.Into.CLAIM and owes == request.party:
        what = "Who bills this cost is who would owe it."
        found.append(Problem(what, "into", "Ask them to take it off their bill, or claim it from another."))
    return found


def row_of(line: CaseCost) -> BillLine:
    """The line as it is kept."""
    return BillLine(
        case=line.case, into=line.asked.into, amount=line.asked.amount, remark=line.asked.remark.strip()[:120]
    )


def write(entry: Entry, bill: Bill, rows: Sequence[BillLine]) -> list[Draft]:
    """Write what the lines cost; returns the postings without what is owed."""
    return [draft for row in rows for draft in _drafts(entry, bill, row, 1)]


def undo(entry: Entry, bill: Bill) -> list[Draft]:
    """The counter-postings of a bill's costs of cases; nothing of them is claimed any more."""
    rows = list(bill.lines.filter(case__isnull=False).exclude(into="").select_related("case__against"))
    claimed = [row.case_id for row in rows if row.into == BillLine.Into.CLAIM]
    problems = settled_of(claimed) if claimed else []
    if problems:
        raise Refused(problems)
    claims.take_back_amounts(entry, bill.entry, why="cost")
    return [draft for row in rows for draft in _drafts(entry, bill, row, -1)]


def _drafts(entry: Entry, bill: Bill, row: BillLine, sign: int) -> list[Draft]:
    layer, case = locked_layer(row.case.layer_id), row.case
    base = sign * converted(row.amount, bill.rate, bill.company.currency)
    if row.into == BillLine.Into.GOODS:
        return absorb.write(entry, Absorption([alone(layer, base, absorb.REWORK)]))
    if row.into == BillLine.Into.LOSS:
        return [Draft(bill.company_id, case.loss_account, base, layer=layer.pk)]
    if sign > 0:
        claims.add_amounts(entry, [(case.pk, case.against_id, "cost", bill.currency, row.amount, base)])
    # The party that owed it then: the goods may be claimed from another party since.
    booked = ClaimAmount.objects.filter(case=case, entry=bill.entry_id or entry, why=ClaimAmount.Why.COST)
    return [
        Draft(
            bill.company_id,
            Account.CLAIMS,
            base,
            sign * row.amount,
            bill.currency,
            party=booked.values_list("party", flat=True)[0],
            document_kind=DocumentKind.CASE,
            document=case.pk,
        )
    ]
