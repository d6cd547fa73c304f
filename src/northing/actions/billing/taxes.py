"""The tax lines of a bill: each has one of its company's codes."""

from collections.abc import Sequence
from decimal import Decimal

from northing.actions.billing.request import BillRequest
from northing.billing.models import Bill
from northing.core.money.money import converted
from northing.core.problems import Problem
from northing.ledger.models import Account, DocumentKind
from northing.ledger.operations import Draft
from northing.masterdata.models import TaxCode

ZERO = Decimal(0)


def tax_problems(request: BillRequest) -> list[Problem]:
    """What is wrong with the tax lines."""
    if not request.taxes:
        return []
    known = set(TaxCode.objects.filter(company=request.company).values_list("code", flat=True))
    found = [
        Problem(f"There is no tax code {code[:20]!r} in this company.", "tax_code", "Keep it in the house's records.")
        for code, _ in request.taxes
        if code and code.upper() not in known
    ]
    if any(amount < 0 for _, amount in request.taxes):
        found.append(Problem("A line of tax is not below 0.", "tax", "Enter it above 0, or leave it empty."))
    if len({code.upper() for code, _ in request.taxes}) < len(request.taxes):
        found.append(Problem("Two lines of tax have the same code.", "tax_code", "Put them into one."))
    if sum((amount for _, amount in request.taxes), ZERO) != request.tax:
        found.append(Problem("The tax lines do not come to the tax.", "tax", "Correct one of them."))
    return found


def taxes_of(request: BillRequest, rates: Sequence[Decimal]) -> list[tuple[int | None, Decimal]]:
    """The tax lines: code (id) and amount. `rates` are those of the orders billed; a code that alone has them is it."""
    codes = {code.code: code for code in TaxCode.objects.filter(company=request.company)}
    if request.taxes:
        return [(codes[code.upper()].pk if code else None, amount) for code, amount in request.taxes]
    fitting = [code for code in codes.values() if set(rates) == {code.rate}]
    return [(fitting[0].pk if len(fitting) == 1 else None, request.tax)]


def tax_drafts(bill: Bill, sign: int) -> list[Draft]:
    """The postings of input tax, line by line, at the rate of the bill, or of the one that it corrects."""
    rate, base = bill.tax_rate or bill.rate, bill.company.currency
    return [
        Draft(
            bill.company_id,
            Account.INPUT_TAX,
            sign * converted(one.amount, rate, base),
            sign * one.amount,
            bill.currency,
            rate,
            party=bill.party_id,
            document_kind=DocumentKind.BILL_TAX,
            document=one.pk,
        )
        for one in bill.taxes.order_by("pk")
    ]
