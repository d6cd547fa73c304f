"""Bill: book a bill or credit note with its lines (its effect shown first), and reverse it."""

from collections.abc import Iterable, Sequence
from datetime import date
from decimal import Decimal

from northing.access.acts import Act, future_problem
from northing.actions.billing.lines import (
    BilledLine,
    billed_lines,
    parts_of,
    spread_line,
    take_on,
    tranches_of,
    write_charge,
)
from northing.actions.billing.request import BillRequest
from northing.actions.costing import absorb, accruals
from northing.actions.costing.charges import amount_problems, links_of, only_billed, require, words_of
from northing.actions.costing.scope import Goods, in_scope, lock_scope, scope_of
from northing.actions.costing.spread import Plan, plan
from northing.actions.reversal import ReverseRequest, refuse_reversal
from northing.activity.operations import Link, add_history, add_links, once
from northing.billing import operations as billing
from northing.billing.models import Bill, BillLine, BillLinePart
from northing.core.billing.terms import Terms, due_day
from northing.core.money.money import converted, is_whole
from northing.core.problems import Problem, refuse_if
from northing.costing import operations as costing
from northing.costing.models import Charge, ChargePart
from northing.drawings.figures import money
from northing.ledger.models import Account, DocumentKind, Entry
from northing.ledger.operations import Draft, open_entry, post
from northing.ledger.queries import posting_note
from northing.masterdata.models import Company, Party
from northing.masterdata.queries import rate_for

ZERO = Decimal(0)


def foresee(request: BillRequest) -> list[Plan]:
    """The effect of each line of the bill, without writing. Raises Refused."""
    refuse_if(_head_problems(request))
    plans = []
    for line in billed_lines(request):
        line.goods = in_scope(line.scope)
        take_on(request, line)
        plans.append(spread_line(request, line))
    return plans


@once
def book_bill(act: Act, request: BillRequest) -> int:
    """A bill or credit note: its charges are spread, what is received is revalued, the party is owed.

    Returns its id.
    """
    act.require("book_bill", request.company, *_borne_by(request))
    lines = billed_lines(request, lock=True)
    for line in lines:
        line.goods = lock_scope(line.scope)
    goods = [one for line in lines for one in line.goods]
    require(act, "book_bill", request.company, goods)
    refuse_if(future_problem(request.day, act, "day") + _head_problems(request))
    for line in lines:
        take_on(request, line)
        write_charge(line)
    company = Company.objects.get(pk=request.company)
    bill = _bill(act, request, company)
    text = f"Booked {_words(bill, lines)}{posting_note(_companies(bill, goods), request.day)}"
    history = add_history(act, "book_bill", text, _links(lines), request.day)
    bill.entry = entry = open_entry(act, history, text, request.day)
    drafts, rows = [], []
    for number, line in enumerate(lines, 1):
        found = spread_line(request, line, lock=True)
        costing.write_spread(line.charge, found.parts)
        drafts += absorb.write(entry, found.absorbed)
        row = BillLine(
            number=number,
            charge=line.charge,
            amount=line.asked.amount,
            remark=line.asked.remark.strip(),
            final=line.asked.final,
        )
        rows.append((row, parts_of(found, company.pk, bill.rate, company.currency)))
    billing.write_bill(bill, rows)
    add_links(history, [("bill", bill.pk, None)])
    post(entry, drafts + payable_drafts(bill))
    accruals.true_up(entry, [line.charge.pk for line in lines])
    return bill.pk


def _borne_by(request: BillRequest) -> list[int]:
    """Companies (ids) that bear the estimates named: only a person who may bill them learns anything about them."""
    parts = ChargePart.objects.filter(charge__in=[line.charge for line in request.lines if line.charge])
    return sorted(set(parts.values_list("company", flat=True)))


def _head_problems(request: BillRequest) -> list[Problem]:
    found = []
    if not request.number.strip():
        found.append(Problem("The bill has a number.", "bill_number", "Enter it as it stands on the bill."))
    if not request.lines:
        found.append(Problem("The bill has no lines.", "lines", "Enter at least one."))
    if request.tax < 0 or not is_whole(request.tax, request.currency):
        found.append(Problem("This is no amount of tax.", "tax", "Enter it as it stands on the bill."))
    if request.due_on and request.due_on < request.day:
        found.append(Problem("The bill would be due before its own day.", "due_on", "Check both days."))
    if request.rate is not None and request.rate <= 0:
        found.append(Problem("A rate is above 0.", "rate"))
    if not Party.objects.filter(pk=request.party).exists():
        found.append(Problem("Choose who is to be paid.", "payee"))
    return found + (_total_problems(request) if not found else [])


def _total_problems(request: BillRequest) -> list[Problem]:
    total = sum((line.amount for line in request.lines), ZERO) + request.tax
    if total <= 0:
        return [Problem("The bill comes to nothing.", "total", "Enter what is owed to us as a credit note.")]
    if request.total is not None and request.total != total:
        stated, found = (money(value, request.currency) for value in (request.total, total))
        what = f"The bill says {stated} in all; its lines and the tax come to {found}."
        return [Problem(what, "total", "Correct a line, the tax or the total.")]
    return amount_problems(total, request.currency, request.day)


def _bill(act: Act, request: BillRequest, company: Company) -> Bill:
    return Bill(
        kind=request.kind,
        company=company,
        party_id=request.party,
        number=request.number.strip(),
        day=request.day,
        due_on=request.due_on or _due_by_terms(request),
        currency=request.currency,
        rate=request.rate or rate_for(company, request.currency, request.day),
        total=sum((line.amount for line in request.lines), ZERO) + request.tax,
        tax=request.tax,
        entered_by=act.person,
        at=act.at,
    )


def _due_by_terms(request: BillRequest) -> date | None:
    terms = Party.objects.select_related("payment_terms").get(pk=request.party).payment_terms
    if terms is None:
        return None
    return due_day(request.day, Terms(terms.days, terms.from_month_end, terms.day_of_month))


def _words(bill: Bill, lines: Sequence[BilledLine]) -> str:
    if len(lines) == 1:
        return f"{bill.get_kind_display().lower()} {bill.number}: {words_of(lines[0].charge, lines[0].asked.amount)}"
    kinds = ", ".join(dict.fromkeys(line.charge.get_kind_display().lower() for line in lines))
    total = f"{bill.currency} {money(bill.total, bill.currency)}"
    return f"{bill.get_kind_display().lower()} {bill.number}: {total} of {bill.party} for {kinds}"


def _companies(bill: Bill, goods: Iterable[Goods]) -> list[int]:
    return sorted({bill.company_id, *(one.line.order.company_id for one in goods)})


def _links(lines: Iterable[BilledLine]) -> list[Link]:
    return list(dict.fromkeys(link for line in lines for link in links_of(line.charge, line.goods)))


def payable_drafts(bill: Bill, sign: int = 1) -> list[Draft]:
    """What is owed by the bill, or (sign -1) no more: parts into accruals, tax, and all of it owed by the payer.

    The other companies owe the payer their parts.
    """
    parts = list(
        BillLinePart.objects.filter(line__bill=bill)
        .select_related("line__charge", "company")
        .order_by("line__number", "pk")
    )
    drafts, owed = [], ZERO
    for part in parts:
        owed += part.payer_base
        drafts.append(
            accruals.billed(part.line.charge, part.company_id, sign * part.amount, sign * part.base_amount, part.rate)
        )
        if part.company_id != bill.company_id:
            drafts.append(_due(part, part.company_id, Account.DUE_TO, -sign, part.base_amount, part.rate))
            drafts.append(_due(part, bill.company_id, Account.DUE_FROM, sign, part.payer_base, bill.rate))
    tax, total = (bill.sign * sign * value for value in (bill.tax, bill.total))
    tax_base = converted(tax, bill.rate, bill.company.currency)
    drafts.append(Draft(bill.company_id, Account.INPUT_TAX, tax_base, tax, bill.currency, bill.rate))
    drafts.append(
        Draft(
            bill.company_id,
            bill.payable_account,
            -(sign * owed + tax_base),
            -total,
            bill.currency,
            bill.rate,
            party=bill.party_id,
            document_kind=DocumentKind.BILL,
            document=bill.pk,
        )
    )
    return drafts


def _due(part: BillLinePart, company: int, account: str, sign: int, base: Decimal, rate: Decimal) -> Draft:
    """The debt of one company of ours to the other for its part of a bill, in the books of either."""
    return Draft(
        company,
        account,
        sign * base,
        sign * part.amount,
        part.line.charge.currency,
        rate,
        charge=part.line.charge_id,
        document_kind=DocumentKind.BILL_PART,
        document=part.pk,
    )


@once
def reverse_bill(act: Act, request: ReverseRequest) -> int:
    """Undo a bill: its charges are expected again as they were estimated, and nothing is owed. Returns its id."""
    bills = Bill.objects.select_for_update(of=("self",)).select_related("company", "party", "entry")
    bill = bills.get(pk=request.record)
    charges = Charge.objects.select_for_update().filter(bill_lines__bill=bill).order_by("pk")
    goods = {charge.pk: lock_scope(scope_of(charge)) for charge in charges}
    require(act, "book_bill", bill.company_id, [one for found in goods.values() for one in found])
    refuse_reversal(bill.get_kind_display().lower(), bill.reversed_by_id, request.reason)
    companies = _companies(bill, [one for found in goods.values() for one in found])
    text = f"Reversed {bill.get_kind_display().lower()} {bill.number} of {bill.party}: {request.reason.strip()}"
    text += posting_note(companies, act.today)
    links: list[Link] = [("bill", bill.pk, None)]
    links += [link for charge in charges for link in links_of(charge, goods[charge.pk])]
    history = add_history(act, "reverse_bill", text, list(dict.fromkeys(links)), act.today)
    entry = open_entry(act, history, text, act.today, reverses=bill.entry)
    post(entry, payable_drafts(bill, -1))
    billing.mark_reversed(bill, entry)
    for line in bill.lines.select_related("charge").order_by("number"):
        _unbill(entry, line, goods[line.charge_id])
    accruals.true_up(entry, list(goods))
    return bill.pk


def _unbill(entry: Entry, line: BillLine, goods: Sequence[Goods]) -> None:
    """The charge is what its other bills and its estimate say."""
    charge = line.charge
    left = BilledLine(None, "", charge, scope_of(charge), ZERO, goods)
    before = left.tranches_before
    if before:
        since = min(tranche.day for tranche in before)
        charge.billed, charge.billed_on = sum((tranche.amount for tranche in before), ZERO), since
    elif charge.estimated is not None:
        charge.billed, charge.billed_on, charge.currency = None, None, charge.estimated_currency
    else:
        charge.billed = ZERO
    reopened = charge.estimated is not None and line.final and line.bill.kind == Bill.Kind.BILL
    costing.bill(charge, None if reopened else charge.closed_on)
    tranches = tranches_of(left, None)
    if tranches and goods:
        found = plan(goods, charge.basis, charge.currency, tranches, charge.pk, lock=True)
        costing.write_spread(charge, found.parts)
        absorbed = found.absorbed
    else:
        costing.bear_nothing(charge)
        absorbed = only_billed(charge)
    post(entry, absorb.write(entry, absorbed))
