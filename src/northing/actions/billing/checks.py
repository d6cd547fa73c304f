"""What a supplier's bill is checked for before it is booked; how strong each check is, the company says.

A question is answered line by line (accept, or dispute the difference), or for the whole bill.
"""

from collections.abc import Iterable, Sequence
from dataclasses import replace
from decimal import Decimal

from northing.actions.billing.matching import GoodsLine, beyond
from northing.actions.billing.request import BillRequest
from northing.billing.models import Bill
from northing.core.billing.tolerance import Tolerance, bill_number_key
from northing.core.checks import answered, finding
from northing.core.money.exact import plain
from northing.core.money.money import converted
from northing.core.problems import Problem
from northing.drawings.figures import money, price
from northing.masterdata.models import Company, Party
from northing.orders.models import Instalment

ZERO = Decimal(0)
DECISIONS = ("", "accept", "dispute")


def line_tolerance(company: Company, party: Party) -> Tolerance:
    """What a line may be above what was agreed: as the supplier says, else the company."""
    return _tolerance("line", company, party)


def _tolerance(what: str, company: Company, party: Party) -> Tolerance:
    own = Tolerance(getattr(party, f"{what}_tolerance"), getattr(party, f"{what}_tolerance_money"))
    if own != Tolerance():
        return own
    return Tolerance(getattr(company, f"{what}_tolerance"), getattr(company, f"{what}_tolerance_money"))


def findings(request: BillRequest, lines: Sequence[GoodsLine], total: Decimal, rate: Decimal) -> list[Problem]:
    """All that is to be known of a bill of goods, each as strong as the company says."""
    company = Company.objects.get(pk=request.company)
    found = _repeated(request, company, total)
    if not lines:
        return found
    party = Party.objects.get(pk=request.party)
    found += _decisions(lines)
    found += _prices(request, lines, company, party, rate)
    found += _units(request, lines, company)
    found += _not_agreed(request, lines, company)
    found += _under_case(request, lines, company)
    return found + _tax(request, lines, company)


def _decisions(lines: Iterable[GoodsLine]) -> list[Problem]:
    strange = [one for one in lines if one.asked.decision not in DECISIONS]
    return [Problem("Accept the difference or dispute it.", f"decision-{one.where}", "Choose one.") for one in strange]


def _named(line: GoodsLine) -> str:
    return f"{line.line.order.number}/{line.line.number} {line.line.item.code}"


def _prices(
    request: BillRequest, lines: Sequence[GoodsLine], company: Company, party: Party, rate: Decimal
) -> list[Problem]:
    allowed, currency, base = line_tolerance(company, party), request.currency, company.currency
    found, beyond_all, agreed_all = [], ZERO, ZERO
    for line in lines:
        agreed = line.agreed
        difference = converted(line.amount - agreed, rate, base)
        agreed_all += converted(agreed, rate, base)
        if line.asked.decision:
            continue
        beyond_all += difference
        if allowed.allows(difference, converted(agreed, rate, base)):
            continue
        what = (
            f"{_named(line)}: {currency} {money(line.amount, currency)} is billed and {money(agreed, currency)} was"
            f" agreed, {money(line.amount - agreed, currency)} more (allowed: {allowed.words})."
        )
        problem = finding(
            company.bill_above_price, what, "Accept it as cost", "dispute it, or send the bill back to the supplier"
        )
        found.append(_asked(problem, f"decision-{line.where}", accepted=request.accept))
    allowed = _tolerance("bill", company, party)
    if not found and not allowed.allows(beyond_all, agreed_all):
        what = (
            f"The goods are billed {base} {money(beyond_all, base)} above what was agreed in all"
            f" (allowed: {allowed.words})."
        )
        problem = finding(company.bill_above_price, what, "Accept it as cost", "dispute the lines it comes from")
        found.append(_asked(problem, "accept", accepted=request.accept))
    return found


def _asked(problem: Problem, where: str, *, accepted: bool) -> Problem:
    return replace(answered(problem, accepted), where=where)


def _units(request: BillRequest, lines: Sequence[GoodsLine], company: Company) -> list[Problem]:
    found = []
    for line, units in beyond(lines):
        what = f"{_named(line)}: {plain(units)} {line.line.item.unit} more are billed than were ordered."
        problem = finding(
            company.bill_above_order, what, "Correct the quantity", "let them wait for goods that may still come"
        )
        found.append(_asked(problem, f"quantity-{line.where}", accepted=request.accept or bool(line.asked.decision)))
    return found


def _not_agreed(request: BillRequest, lines: Sequence[GoodsLine], company: Company) -> list[Problem]:
    """Units billed ahead that the supplier never agreed to."""
    keys = {line.line.pk for line in lines if line.ahead}
    if not keys:
        return []
    rows = Instalment.objects.filter(line__in=keys).values_list("line", "quantity", "agreed_quantity")
    open_lines = {line for line, quantity, agreed in rows if agreed < quantity}
    found = []
    for line in lines:
        if line.ahead and line.line.pk in open_lines:
            what = f"{_named(line)}: the supplier has not agreed to all that is billed."
            problem = finding(company.bill_not_agreed, what, "Record their answer first", "book it anyway")
            found.append(_asked(problem, f"quantity-{line.where}", accepted=request.accept))
    return found


def _under_case(request: BillRequest, lines: Sequence[GoodsLine], company: Company) -> list[Problem]:
    """Units that are rejected and wait for their end."""
    found = []
    for line in lines:
        if not line.rejected or line.asked.decision:
            continue
        what = f"{_named(line)}: {plain(line.rejected)} {line.line.item.unit} of what is billed are rejected."
        problem = finding(
            company.bill_under_case, what, "Bill only the rest", "dispute the line, which holds back their price"
        )
        found.append(_asked(problem, f"decision-{line.where}", accepted=request.accept))
    return found


def _tax(request: BillRequest, lines: Sequence[GoodsLine], company: Company) -> list[Problem]:
    """Tax on the bill that its orders do not have, or the other way round; an import has none."""
    expected = sum((line.amount * line.line.order.tax_rate for line in lines), ZERO)
    if bool(request.tax) == bool(expected):
        return []
    currency = request.currency
    if request.tax:
        what = f"The bill has tax of {currency} {money(request.tax, currency)}; its orders have none."
    else:
        what = f"The bill has no tax; by its orders it would be {currency} {price(expected)}."
    problem = finding(company.bill_other_tax, what, "Correct the tax", "book it as the bill says")
    return [_asked(problem, "tax", accepted=request.accept)]


def _repeated(request: BillRequest, company: Company, total: Decimal) -> list[Problem]:
    """An earlier bill of the party with the same number, or with the same amount and day."""
    earlier = Bill.objects.filter(party=request.party, reversed_by=None)
    same = earlier.filter(number_key=bill_number_key(request.number)).first()
    if same:
        what = f"Number {same.number} of this party is booked already, dated {same.day:%-d %b %Y}."
        return [Problem(what, "bill_number", "Open that bill; a correction is a new one.", record=("bill", same.pk))]
    alike = earlier.filter(company=company, day=request.day, currency=request.currency, total=total, kind=request.kind)
    found = alike.first()
    if found is None:
        return []
    what = f"{found} of this party has the same day and the same amount."
    problem = finding(company.bill_repeated, what, "Check the number", "book it as another bill")
    return [_asked(problem, "bill_number", accepted=request.accept)]
