"""A supplier's credit note: for goods whose price is claimed, or off the price of goods that were billed.

What a claim is credited with is off the claim. What is off a price is a price difference: it lowers the cost of the
goods, also of those that are gone.
"""

from collections.abc import Iterable, Sequence
from dataclasses import dataclass, field
from decimal import Decimal

from django.db.models import Sum

from northing.actions.billing.goods import Billed, line_drafts
from northing.actions.billing.matching import lock_goods
from northing.actions.billing.request import BillLineRequest, BillRequest
from northing.actions.costing import absorb
from northing.actions.costing.absorb import Absorption
from northing.actions.costing.price_totals import price_totals
from northing.actions.costing.recognitions import Recognition, of_lines
from northing.billing import operations as billing
from northing.billing.models import Bill, BilledGoods, BillLine
from northing.claims import operations as claims
from northing.claims.models import Claim, ClaimAmount
from northing.claims.queries import open_claims
from northing.core.billing.settle import Accrued, Difference, price_differences
from northing.core.money.money import converted, from_minor, is_whole, to_minor
from northing.core.money.spread import amount_so_far
from northing.core.problems import Problem, Refused
from northing.drawings.figures import money
from northing.ledger.models import Account, DocumentKind, Entry
from northing.ledger.operations import Draft
from northing.orders.models import OrderLine

ZERO = Decimal(0)


@dataclass
class CreditLine:
    """A line as entered, and what it credits: an order line's price, or a claim.

    `shares` are the goods that become cheaper, by how much in the bill's currency and in base (below 0); `base` is what
    is off the claim.
    """

    asked: BillLineRequest
    where: str
    line: OrderLine
    case: Claim | None = None
    shares: list[tuple[Recognition, Decimal, Decimal]] = field(default_factory=list)
    base: Decimal = ZERO

    @property
    def amount(self) -> Decimal:
        """What is credited, in the bill's currency."""
        return self.asked.amount


def credit_lines(request: BillRequest, *, lock: bool = False) -> list[CreditLine]:
    """The lines of a credit note that are about goods. Raises Refused with everything that is wrong with them."""
    asked = [(one.where or f"line-{number}", one) for number, one in enumerate(request.lines) if one.of_goods]
    if request.kind != Bill.Kind.CREDIT or not asked:
        return []
    cases = _cases(request, [one.case for _, one in asked if one.case])
    keys = {one.order_line or 0 for _, one in asked} | {_line_of(case) for case in cases.values()}
    if lock:
        lock_goods(keys)
        cases = _cases(request, cases, lock=True)
    lines = OrderLine.objects.filter(pk__in=keys, order__company=request.company, order__supplier=request.party)
    lines = lines.select_related("order__company", "item").in_bulk()
    problems, found = [], []
    for where, one in asked:
        case = cases.get(one.case or 0)
        line = lines.get(_line_of(case) if case else one.order_line or 0)
        problems += _line_problems(request, where, one, line, case)
        if line is not None:
            found.append(CreditLine(one, where, line, case))
    targets = [(line.line.pk, line.case and line.case.pk) for line in found]
    if len(set(targets)) < len(targets):
        problems.append(Problem("A line or a case is credited twice.", "lines", "Enter one amount for each."))
    if not problems:
        problems += _with_shares(request, found)
    if problems:
        raise Refused(problems)
    return found


def _cases(request: BillRequest, keys: Iterable[int], *, lock: bool = False) -> dict[int, Claim]:
    found = Claim.objects.select_for_update(of=("self",)) if lock else Claim.objects.all()
    found = found.filter(pk__in=list(keys), company=request.company, supplier=request.party, withdrawn_at=None)
    found = found.exclude(kind__in=Claim.OF_NO_ORDER)
    return found.select_related("layer__shipment_line__instalment", "layer__item").order_by("pk").in_bulk()


def _line_of(case: Claim) -> int:
    return case.layer.shipment_line.instalment.line_id


def _line_problems(
    request: BillRequest, where: str, asked: BillLineRequest, line: OrderLine | None, case: Claim | None
) -> list[Problem]:
    if line is None or (asked.case and case is None):
        return [Problem("This is nothing of this supplier that can be credited.", where, "Choose one of the list.")]
    if line.order.currency != request.currency:
        what = f"{line.order.number} is in {line.order.currency}; the credit note is in {request.currency}."
        return [Problem(what, where, f"Ask for a credit note in {line.order.currency}.")]
    if not 0 < asked.amount <= Decimal(999_999_999_999) or not is_whole(asked.amount, request.currency):
        return [
            Problem(f"This is no amount in {request.currency} to be credited.", f"amount-{where}", "Enter it above 0.")
        ]
    return []


def _with_shares(request: BillRequest, lines: Sequence[CreditLine]) -> list[Problem]:
    goods = _recognised({one.line.pk for one in lines})
    claims_now = open_claims({one.case.pk for one in lines if one.case})
    problems = []
    for one in lines:
        currency = one.line.order.currency
        if one.case:
            limit, base = claims_now.get((one.case.pk, request.party, request.currency), (ZERO, ZERO))
            what = "is claimed in this case"
        else:
            limit, base = sum((each.billed.amount for each in goods.get(one.line.pk, ())), ZERO), ZERO
            what = f"of {one.line.order.number}/{one.line.number} is billed and ours"
        if one.amount > limit:
            text = f"{currency} {money(limit, currency)} {what}."
            mend = "Enter at most that; what else is credited is a line of its own."
            problems.append(Problem(text, f"amount-{one.where}", mend))
        elif one.case:
            one.base = amount_so_far(base, one.line.order.company.currency, one.amount, limit)
        else:
            one.shares = _shares(one, goods[one.line.pk])
    return problems


def _recognised(lines: Iterable[int]) -> dict[int, list[Recognition]]:
    found: dict[int, list[Recognition]] = {}
    for one in of_lines(lines):
        if one.billed.units > 0:
            found.setdefault(one.line, []).append(one)
    return found


def _shares(line: CreditLine, goods: Sequence[Recognition]) -> list[tuple[Recognition, Decimal, Decimal]]:
    """The goods billed become cheaper by units, each at the rate at which it became ours."""
    currency, base = line.line.order.currency, line.line.order.company.currency
    accrued = [Accrued(one.billed.units, to_minor(one.amount, currency), to_minor(one.base, base)) for one in goods]
    now = sum(one.amount for one in accrued) - to_minor(line.amount, currency)
    shares: list[Difference] = price_differences(now, accrued)
    return [
        (one, from_minor(share.amount, currency), from_minor(share.cost, base))
        for one, share in zip(goods, shares, strict=True)
    ]


def foreseen(lines: Sequence[CreditLine]) -> Absorption:
    """What the credit does to layers; nothing is written or locked."""
    new = [(goods, cost) for line in lines for goods, _, cost in line.shares]
    if not new:
        return Absorption()
    return absorb.absorption(*price_totals({goods.part for goods, _ in new}, new), lock=False)


def row_of(line: CreditLine) -> BillLine:
    """The line as it is kept."""
    facts = {"amount": line.amount, "remark": line.asked.remark.strip()}
    if line.case:
        return BillLine(case=line.case, **facts)
    return BillLine(order_line=line.line, quantity=ZERO, price=ZERO, **facts)


def write(entry: Entry, bill: Bill, lines: Sequence[tuple[CreditLine, BillLine]]) -> list[Draft]:
    """Write what the lines credit; returns the postings without what is owed."""
    rows, drafts, parts = [], [], set()
    for line, row in lines:
        row.ended_dispute = billing.end_disputes(line.line.pk, line.amount)
        if line.case:
            claims.add_amounts(
                entry, [(line.case.pk, bill.party_id, "credited", bill.currency, -line.amount, -line.base)]
            )
            drafts += case_drafts(bill, row)
            continue
        of_line = [Billed(_goods(row, *share), share[0].part) for share in line.shares]
        parts |= {one.part for one in of_line}
        rows += [one.row for one in of_line]
        drafts += line_drafts(bill, row, of_line)
    billing.write_goods(rows)
    billing.keep_ended([row for _, row in lines])
    return drafts + (absorb.write(entry, absorb.absorption(*price_totals(parts))) if parts else [])


def _goods(row: BillLine, goods: Recognition, difference: Decimal, cost: Decimal) -> BilledGoods:
    return BilledGoods(
        line=row,
        units=ZERO,
        amount=ZERO,
        base=ZERO,
        difference=difference,
        difference_base=cost,
        advance=ZERO,
        advance_base=ZERO,
        **{f"{goods.kind}_id": goods.document},
    )


def case_drafts(bill: Bill, row: BillLine, sign: int = 1) -> list[Draft]:
    """The postings of a claim that is credited, or (sign -1) open again, but for what is owed to us."""
    of_claim = ClaimAmount.objects.filter(case=row.case_id, entry=bill.entry_id, why="credited")
    base = of_claim.aggregate(total=Sum("base"))["total"] or ZERO
    claim = Draft(
        bill.company_id,
        Account.CLAIMS,
        sign * base,
        -sign * row.amount,
        bill.currency,
        party=bill.party_id,
        document_kind=DocumentKind.CASE,
        document=row.case_id,
    )
    worth = converted(row.amount, bill.rate, bill.company.currency)
    return [claim, Draft(bill.company_id, Account.EXCHANGE, -sign * (worth + base))]


def undo(entry: Entry, bill: Bill) -> list[Draft]:
    """The counter-postings of the claims that a credit note ended; the claims and disputes are open again."""
    drafts = [draft for row in bill.lines.filter(case__isnull=False) for draft in case_drafts(bill, row, -1)]
    claims.take_back_amounts(entry, bill.entry, why="credited")
    billing.dispute_again(bill)
    return drafts


def corrected(lines: Sequence[CreditLine]) -> Bill | None:
    """The last bill that billed what is credited: its tax is what a credit note's tax corrects."""
    rows = BillLine.objects.filter(
        order_line__in=[one.line.pk for one in lines], bill__reversed_by=None, bill__kind=Bill.Kind.BILL
    )
    last = rows.select_related("bill").order_by("-bill__day", "-pk").first()
    return last.bill if last else None
