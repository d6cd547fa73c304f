"""Bill: book a bill or credit note with its lines (its effect shown first), and reverse it."""

from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from datetime import date, timedelta
from decimal import Decimal

from django.db.models import Subquery

from northing.access.acts import Act, future_problem
from northing.actions.billing import case_costs, credits
from northing.actions.billing.case_costs import CaseCost
from northing.actions.billing.checks import findings
from northing.actions.billing.credits import CreditLine
from northing.actions.billing.goods import booked, foreseen, line_owed
from northing.actions.billing.goods import undo as undo_goods
from northing.actions.billing.goods import write as write_goods
from northing.actions.billing.lines import (
    BilledCharge,
    billed_charges,
    parts_of,
    spread_line,
    take_on,
    tranches_of,
    write_charge,
)
from northing.actions.billing.matching import GoodsLine, goods_lines, lock_goods
from northing.actions.billing.request import BillRequest
from northing.actions.billing.taxes import tax_drafts, tax_problems, taxes_of
from northing.actions.costing import absorb, accruals
from northing.actions.costing.absorb import Absorption
from northing.actions.costing.charges import amount_problems, links_of, only_billed, require, words_of
from northing.actions.costing.scope import Goods, Scope, in_scope, lock_scope, scope_of
from northing.actions.costing.spread import Plan, UnitCost, plan, unit_costs
from northing.actions.reversal import ReverseRequest, refuse_reversal
from northing.actions.worklist.kept import refresh_kept
from northing.actions.worklist.refresh import bring_along
from northing.activity.documents import hand_over
from northing.activity.operations import Link, add_history, add_links, once
from northing.billing import operations as billing
from northing.billing.models import Bill, BillLine, BillLinePart
from northing.core.billing.terms import Terms, due_day, instalments_due, instalments_of
from northing.core.billing.tolerance import bill_number_key
from northing.core.money.exact import plain
from northing.core.money.money import converted, from_minor, is_whole, to_minor
from northing.core.problems import Problem, refuse_if
from northing.costing import operations as costing
from northing.costing.models import Charge, ChargePart
from northing.drawings.figures import money
from northing.ledger.models import Account, DocumentKind, Entry
from northing.ledger.operations import Draft, open_entry, post
from northing.ledger.queries import posting_note
from northing.masterdata.models import BankAccount, Company, Party
from northing.masterdata.queries import rate_for
from northing.messaging.webhooks import announce

ZERO = Decimal(0)
LONGEST_NUMBER = 40


@dataclass(frozen=True)
class Effect:
    """What a bill does, without writing: its lines of goods, and the effect of each of its charges."""

    goods: Sequence[GoodsLine]
    prices: Absorption
    plans: Sequence[Plan]
    problems: Sequence[Problem]

    @property
    def unit_costs(self) -> list[UnitCost]:
        """Old and new unit cost of the layers that the differences of price change."""
        return unit_costs(self.prices)


def foresee(request: BillRequest) -> Effect:
    """The effect of the bill, without writing. Raises Refused."""
    goods, credited = goods_lines(request), credits.credit_lines(request)
    case_costs.case_costs(request)
    refuse_if(_head_problems(request, goods))
    rate = _rate_of(request)
    plans = []
    for line in billed_charges(request, over_goods(goods)):
        line.goods = in_scope(line.scope)
        take_on(request, line)
        plans.append(spread_line(request, line, rate))
    prices = credits.foreseen(credited) if credited else foreseen(goods)
    return Effect(goods, prices, plans, _findings(request, goods))


def over_goods(lines: Sequence[GoodsLine]) -> Scope:
    """The goods of a bill as a scope: what is ours of them, and whole order lines of which nothing is."""
    parts = {one.goods.part for line in lines for one in line.matched}
    return Scope(goods=tuple(sorted(parts)), lines=tuple(sorted({line.line.pk for line in lines if not line.matched})))


@once
def book_bill(act: Act, request: BillRequest) -> int:
    """A bill or credit note: its charges are spread, its goods are matched, and the party is owed.

    What is received is revalued. Returns its id.
    """
    act.require("book_bill", request.company, *_borne_by(request))
    goods, credited = goods_lines(request, lock=True), credits.credit_lines(request, lock=True)
    of_cases = case_costs.case_costs(request, lock=True)
    charges = billed_charges(request, over_goods(goods), lock=True)
    for line in charges:
        line.goods = lock_scope(line.scope)
    bearers = [one for line in charges for one in line.goods]
    require(act, "book_bill", request.company, bearers)
    refuse_if(future_problem(request.day, act, "day") + _head_problems(request, goods))
    passed = refuse_if(_findings(request, goods))
    for line in charges:
        take_on(request, line)
        write_charge(line)
    bill = _bill(act, request, goods, credits.corrected(credited))
    about = [*goods, *credited, *of_cases]
    text = f"Booked {_words(bill, charges, about)}{posting_note(_companies(bill, bearers), request.day)}"
    text += "".join(f". {problem.what}" for problem in passed) + _decided(goods)
    history = add_history(act, "book_bill", text, _links(charges, about), request.day)
    bill.entry = entry = open_entry(act, history, text, request.day)
    drafts, rows = [], {}
    for line in charges:
        found = spread_line(request, line, _rate_of(request), lock=True)
        costing.write_spread(line.charge, found.parts)
        drafts += absorb.write(entry, found.absorbed)
        rows[line.where] = _of_charge(line), parts_of(found, bill.company_id, bill.rate, bill.company.currency)
    rows |= {line.where: (_of_goods(line), []) for line in goods}
    rows |= {line.where: (credits.row_of(line), []) for line in credited}
    rows |= {line.where: (case_costs.row_of(line), []) for line in of_cases}
    billing.write_bill(bill, _numbered(request, rows))
    billing.write_instalments(bill, _instalments(request, bill))
    billing.write_taxes(bill, taxes_of(request, [line.line.order.tax_rate for line in (*goods, *credited)]))
    add_links(history, [("bill", bill.pk, None)])
    drafts += write_goods(entry, bill, [(line, rows[line.where][0]) for line in goods])
    drafts += credits.write(entry, bill, [(line, rows[line.where][0]) for line in credited])
    drafts += case_costs.write(entry, bill, [rows[line.where][0] for line in of_cases])
    post(entry, drafts + payable_drafts(bill))
    accruals.true_up(entry, [line.charge.pk for line in charges])
    _bring_along(bill, [line.line.pk for line in (*goods, *credited)])
    _end_kept(bill)
    announce(act, "billed", lambda: [(_told(bill), [bill.company_id])])
    return bill.pk


def _told(bill: Bill) -> dict[str, str | int | None]:
    """What other programs are told of a bill."""
    return {
        "bill": bill.number,
        "id": bill.pk,
        "kind": bill.kind,
        "party": bill.party.code,
        "currency": bill.currency,
        "total": plain(bill.total),
        "due_on": bill.due_on.isoformat() if bill.due_on else None,
    }


def _end_kept(bill: Bill) -> None:
    """A bill of the same number that was kept is booked with it; its documents are the bill's."""
    keys = billing.end_kept(bill)
    if keys:
        hand_over("kept", keys, "bill", bill.pk)
        refresh_kept(keys)


def _bring_along(bill: Bill, lines: Iterable[int]) -> None:
    """The Watch says what is so now of a bill, of bills of the same lines (a dispute may have ended), and of cases."""
    keys = sorted(set(lines))
    others = BillLine.objects.filter(order_line__in=keys, bill__reversed_by=None).values_list("bill", flat=True)
    cases = bill.lines.exclude(case=None).values_list("case", flat=True)
    bring_along(lines=keys, bills=sorted({bill.pk, *others}), cases=sorted(set(cases)))


def _findings(request: BillRequest, goods: Sequence[GoodsLine]) -> list[Problem]:
    rate = _rate_of(request) or rate_for(Company.objects.get(pk=request.company), request.currency, request.day)
    return findings(request, goods, _total(request, goods), rate)


def _of_charge(line: BilledCharge) -> BillLine:
    asked = line.asked
    return BillLine(charge=line.charge, amount=asked.amount, remark=asked.remark.strip(), final=asked.final)


def _of_goods(line: GoodsLine) -> BillLine:
    return BillLine(
        order_line=line.line,
        quantity=line.quantity,
        price=line.price,
        amount=line.amount,
        remark=line.asked.remark.strip(),
        disputed=line.held_back if line.asked.decision == "dispute" else ZERO,
        ahead_advance=line.ahead_advance.amount,
        ahead_advance_base=line.ahead_advance.base,
    )


def _decided(goods: Iterable[GoodsLine]) -> str:
    """What was decided of differences, for the story."""
    found = ""
    for line in goods:
        decision = {"accept": "accepted", "dispute": "in dispute"}.get(line.asked.decision)
        if decision and line.above > 0:
            currency, item = line.line.order.currency, line.line.item.code
            found += f". {currency} {money(line.above, currency)} above the agreed price of {item}: {decision}"
    return found


Rows = dict[str, tuple[BillLine, list[BillLinePart]]]


def _numbered(request: BillRequest, rows: Rows) -> list[tuple[BillLine, list[BillLinePart]]]:
    """The lines in the order of the paper."""
    found = [rows[line.where or f"line-{number}"] for number, line in enumerate(request.lines)]
    for number, (row, _) in enumerate(found, 1):
        row.number = number
    return found


def _rate_of(request: BillRequest) -> Decimal | None:
    """The payer's rate, where it is not that of the day for charges: the paper's own, or that of suppliers' bills."""
    if request.rate:
        return request.rate
    if not Party.objects.filter(pk=request.party, kind=Party.Kind.SUPPLIER).exists():
        return None
    return rate_for(Company.objects.get(pk=request.company), request.currency, request.day, "bill")


def _borne_by(request: BillRequest) -> list[int]:
    """Companies (ids) that bear the estimates named: only a person who may bill them learns anything about them."""
    parts = ChargePart.objects.filter(charge__in=[line.charge for line in request.lines if line.charge])
    return sorted(set(parts.values_list("company", flat=True)))


def _head_problems(request: BillRequest, goods: Sequence[GoodsLine]) -> list[Problem]:
    found = []
    if len(request.number.strip()) > LONGEST_NUMBER:
        found.append(Problem(f"A bill's number has at most {LONGEST_NUMBER} signs.", "bill_number", "Shorten it."))
    if not request.number.strip():
        found.append(Problem("The bill has a number.", "bill_number", "Enter it as it stands on the bill."))
    if not request.lines:
        found.append(Problem("The bill has no lines.", "lines", "Enter at least one."))
    if request.tax < 0 or not is_whole(request.tax, request.currency):
        found.append(Problem("This is no amount of tax.", "tax", "Enter it as it stands on the bill."))
    found += tax_problems(request)
    if request.due_on and request.due_on < request.day:
        found.append(Problem("The bill would be due before its own day.", "due_on", "Check both days."))
    if request.rate is not None and request.rate <= 0:
        found.append(Problem("A rate is above 0.", "rate"))
    if not Party.objects.filter(pk=request.party).exists():
        found.append(Problem("Choose who is to be paid.", "payee"))
    return found + (_total_problems(request, goods) if not found else [])


def _total_problems(request: BillRequest, goods: Sequence[GoodsLine]) -> list[Problem]:
    total = _total(request, goods)
    if total <= 0:
        return [Problem("The bill comes to nothing.", "total", "Enter what is owed to us as a credit note.")]
    if request.total is not None and request.total != total:
        stated, found = (money(value, request.currency) for value in (request.total, total))
        what = f"The bill says {stated} in all; its lines and the tax come to {found}."
        return [Problem(what, "total", "Correct a line, the tax or the total.")]
    return amount_problems(total, request.currency, request.day)


def _total(request: BillRequest, goods: Sequence[GoodsLine]) -> Decimal:
    entered = [line for line in request.lines if request.kind == Bill.Kind.CREDIT or not line.order_line]
    amounts = [line.amount for line in entered] + [line.amount for line in goods]
    return sum(amounts, ZERO) + request.tax


def _bill(act: Act, request: BillRequest, goods: Sequence[GoodsLine], corrects: Bill | None) -> Bill:
    company = Company.objects.get(pk=request.company)
    advances = [line.advance for line in goods]
    total, rate = _total(request, goods), _rate_of(request) or rate_for(company, request.currency, request.day)
    limit = company.bill_approval_above
    above = limit is not None and converted(total, rate, company.currency) > limit
    other_bank = _other_bank(request.party)
    return Bill(
        kind=request.kind,
        company=company,
        party_id=request.party,
        number=request.number.strip(),
        number_key=bill_number_key(request.number.strip()),
        day=request.day,
        due_on=request.due_on or (_due_by_terms(request) if request.kind == Bill.Kind.BILL else None),
        currency=request.currency,
        rate=rate,
        tax_rate=corrects.rate if corrects and request.tax else None,
        total=total,
        needs_approval=request.kind == Bill.Kind.BILL and (above or bool(other_bank)),
        approval_why=other_bank,
        tax=request.tax,
        advance=sum((one.amount for one in advances), ZERO),
        advance_base=sum((one.base for one in advances), ZERO),
        entered_by=act.person,
        at=act.at,
    )


def _other_bank(party: int) -> str:
    """Says it where the bank details of a party (id) changed since its last bill."""
    last = Bill.objects.filter(party=party, kind=Bill.Kind.BILL).order_by("-at").values("at")[:1]
    changed = BankAccount.objects.filter(party=party, changed_at__gt=Subquery(last)).exists()
    return "bank details changed since the last bill" if changed else ""


def _due_by_terms(request: BillRequest) -> date | None:
    terms = Party.objects.select_related("payment_terms").get(pk=request.party).payment_terms
    if terms is None:
        return None
    if terms.instalments:
        return request.day + timedelta(days=instalments_of(terms.instalments)[0].days)
    return due_day(request.day, Terms(terms.days, terms.from_month_end, terms.day_of_month))


def _instalments(request: BillRequest, bill: Bill) -> list[tuple[date, Decimal]]:
    """The parts of a bill by the terms of its party; none where the paper says its own day, or it is due as a whole."""
    terms = bill.party.payment_terms
    if bill.kind == Bill.Kind.CREDIT or request.due_on or terms is None or not terms.instalments:
        return []
    parts = instalments_due(bill.day, to_minor(bill.owed, bill.currency), instalments_of(terms.instalments))
    return [(day, from_minor(part, bill.currency)) for day, part in parts]


def _words(bill: Bill, charges: Sequence[BilledCharge], goods: Sequence[GoodsLine | CreditLine | CaseCost]) -> str:
    if len(charges) == 1 and not goods:
        return (
            f"{bill.get_kind_display().lower()} {bill.number}: {words_of(charges[0].charge, charges[0].asked.amount)}"
        )
    kinds = dict.fromkeys(line.charge.get_kind_display().lower() for line in charges)
    total = f"{bill.currency} {money(bill.total, bill.currency)}"
    whats = [f"case {one.case.pk}" if isinstance(one, CaseCost) else "goods" for one in goods]
    for_what = ", ".join([*dict.fromkeys(whats), *kinds])
    return f"{bill.get_kind_display().lower()} {bill.number}: {total} of {bill.party} for {for_what}"


def _companies(bill: Bill, goods: Iterable[Goods]) -> list[int]:
    return sorted({bill.company_id, *(one.line.order.company_id for one in goods)})


def _links(charges: Iterable[BilledCharge], goods: Iterable[GoodsLine | CreditLine | CaseCost]) -> list[Link]:
    links = dict.fromkeys(link for line in charges for link in links_of(line.charge, line.goods))
    for line in goods:
        company = line.line.order.company_id
        links |= {("line", line.line.pk, company): None, ("order", line.line.order_id, company): None}
        if not isinstance(line, GoodsLine) and line.case:
            links |= {("case", line.case.pk, company): None}
    return list(links)


def payable_drafts(bill: Bill, sign: int = 1) -> list[Draft]:
    """What is owed by the bill, or (sign -1) no more: parts into accruals, tax, and all of it owed by the payer.

    The other companies owe the payer their parts. What goods do is posted beside it.
    """
    parts = list(
        BillLinePart.objects.filter(line__bill=bill)
        .select_related("line__charge", "company")
        .order_by("line__number", "pk")
    )
    drafts, owed = [], sum((line_owed(bill, line, then)[1] for line, then, _ in booked(bill)), ZERO) * sign
    for part in parts:
        owed += sign * part.payer_base
        drafts.append(
            accruals.billed(part.line.charge, part.company_id, sign * part.amount, sign * part.base_amount, part.rate)
        )
        if part.company_id != bill.company_id:
            drafts.append(_due(part, part.company_id, Account.DUE_TO, -sign, part.base_amount, part.rate))
            drafts.append(_due(part, bill.company_id, Account.DUE_FROM, sign, part.payer_base, bill.rate))
    for line in bill.lines.filter(case__isnull=False):
        owed += bill.sign * sign * converted(line.amount, bill.rate, bill.company.currency)
    tax, total = (bill.sign * sign * value for value in (bill.tax, bill.owed))
    taxes, tax_owed = tax_drafts(bill, bill.sign * sign), converted(tax, bill.rate, bill.company.currency)
    drafts += taxes
    drafts.append(Draft(bill.company_id, Account.EXCHANGE, tax_owed - sum((one.amount for one in taxes), ZERO)))
    drafts.append(payable_draft(bill, -total, -(owed + tax_owed), bill.rate))
    return drafts


def payable_draft(bill: Bill, amount: Decimal, base: Decimal, rate: Decimal | None = None) -> Draft:
    """A posting on what is owed by a bill."""
    return Draft(
        bill.company_id,
        bill.payable_account,
        base,
        amount,
        bill.currency,
        rate,
        party=bill.party_id,
        document_kind=DocumentKind.BILL,
        document=bill.pk,
    )


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
    refuse_if(_paid(bill))
    lock_goods(bill.lines.filter(order_line__isnull=False).values_list("order_line", flat=True))
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
    owed_no_more = payable_drafts(bill, -1)
    billing.mark_reversed(bill, entry)
    post(entry, owed_no_more + undo_goods(entry, bill) + _undo_cases(entry, bill))
    for line in bill.lines.filter(charge__isnull=False).select_related("charge").order_by("number"):
        _unbill(entry, line, goods[line.charge_id])
    accruals.true_up(entry, list(goods))
    _bring_along(bill, bill.lines.exclude(order_line=None).values_list("order_line", flat=True))
    return bill.pk


def _undo_cases(entry: Entry, bill: Bill) -> list[Draft]:
    """The counter-postings of what it did to cases: claims that it credited, or costs that it brought."""
    return (credits if bill.kind == Bill.Kind.CREDIT else case_costs).undo(entry, bill)


def _paid(bill: Bill) -> list[Problem]:
    """Payments that stand on it."""
    paid = bill.payment_parts.filter(payment__reversed_by=None).select_related("payment").first()
    if paid is None:
        return []
    amount = f"{bill.currency} {money(paid.amount, bill.currency)}"
    what = f"{amount} of {bill} was paid on {paid.payment.day:%-d %b %Y}."
    return [Problem(what, mend="Reverse the payment first.", record=("payment", paid.payment_id))]


def _unbill(entry: Entry, line: BillLine, goods: Sequence[Goods]) -> None:
    """The charge is what its other bills and its estimate say."""
    charge = line.charge
    left = BilledCharge(None, "", charge, scope_of(charge), ZERO, goods)
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
