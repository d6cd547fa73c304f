"""The calls of bills, open items and payments."""

from collections.abc import Sequence
from decimal import Decimal
from typing import Annotated

from django.db.models import Q
from django.http import HttpRequest
from django.shortcuts import get_object_or_404
from django.utils import timezone
from ninja import Query, Router

from northing.access.permissions import companies_of
from northing.access.queries import scoped
from northing.actions.billing.bills import book_bill
from northing.actions.billing.request import BillLineRequest, BillRequest
from northing.actions.payments.ask import pay_or_ask
from northing.actions.payments.request import PartRequest, PayRequest
from northing.api.callers import act_of, require
from northing.api.paging import USUAL, page
from northing.api.parameters import After, Key, Limit, answers
from northing.api.shapes import billing as shapes
from northing.api.shapes.common import NO_NUL, Day, Made
from northing.billing.models import Bill
from northing.core.money.money import MINOR_UNITS
from northing.core.problems import Problem, Refused
from northing.ledger.models import OpenItem
from northing.masterdata.models import Company, Party
from northing.orders.named_lines import lines_named
from northing.payments.models import Payment
from northing.reports.settlement import settlements
from northing.reports.statement import statement

router = Router()
Code = Annotated[str, Query("", max_length=40, pattern=NO_NUL)]
ZERO = Decimal(0)


@router.get("/bills", response=answers(shapes.BillPage), tags=["bills"])
def bills(request: HttpRequest, after: After = "", limit: Limit = USUAL, party: Code = "", number: Code = ""):
    """Bills and credit notes, newest first; of a party by its code, or by their number."""
    require(request, "read")
    found = scoped(Bill.objects.all(), request.auth.person)
    found = found.filter(party__code__iexact=party) if party else found
    found = found.filter(number__iexact=number) if number else found
    rows, following = page(found.select_related("company", "party"), after, limit, newest_first=True)
    return {"items": _bills(rows), "next": following}


@router.get("/bills/{bill_id}", response=answers(shapes.BillOut), tags=["bills"])
def bill(request: HttpRequest, bill_id: Key):
    """A bill, and how far it is settled."""
    require(request, "read")
    found = scoped(Bill.objects.select_related("company", "party"), request.auth.person)
    return _bills([get_object_or_404(found, pk=bill_id)])[0]


def _bills(rows: Sequence[Bill]) -> list[dict[str, object]]:
    known = settlements(rows)
    return [
        {
            "id": row.pk,
            "kind": row.kind,
            "number": row.number,
            "company": row.company.code,
            "party": row.party.code,
            "day": row.day,
            "due_on": row.due_on,
            "currency": row.currency,
            "total": row.total,
            "tax": row.tax,
            "why_not_paid": known[row.pk].why,
            "reversed": row.reversed_by_id is not None,
            **dict(known[row.pk].parts),
        }
        for row in rows
    ]


@router.post("/bills", response=answers(Made, 201), tags=["bills"])
def book(request: HttpRequest, asked: shapes.BillIn):
    """Book a supplier's bill or credit note; what is asked is answered with `accept`, or line by line."""
    require(request, "bills")
    company, act = _company(request, asked.company), act_of(request)
    act.require("book_bill", company.pk)
    keys = lines_named(asked.lines)
    wanted = BillRequest(
        company=company.pk,
        party=_party(asked.supplier, "supplier").pk,
        number=asked.number,
        day=asked.day,
        currency=asked.currency,
        lines=tuple(_line(row, key, number) for number, (row, key) in enumerate(zip(asked.lines, keys, strict=True))),
        tax=sum((one.amount for one in asked.taxes), ZERO) if asked.taxes else asked.tax or ZERO,
        taxes=tuple((one.code, one.amount) for one in asked.taxes),
        total=asked.total,
        due_on=asked.due_on,
        rate=asked.rate,
        accept=asked.accept,
        kind=asked.kind,
    )
    return 201, {"id": book_bill(act, wanted)}


def _line(row: shapes.BillLineIn, key: int | None, number: int) -> BillLineRequest:
    amount = row.amount or ZERO
    if row.case:
        return BillLineRequest(amount, case=row.case, remark=row.remark)
    if row.kind:
        return BillLineRequest(amount, kind=row.kind, remark=row.remark)
    if key is None:
        what = "No line of a sent order fits, or more than one does."
        raise Refused(Problem(what, f"lines-{number}", "Name the order and its line by number."))
    facts = {"quantity": row.quantity, "price": row.price, "decision": row.decision, "remark": row.remark}
    return BillLineRequest(amount, order_line=key, **facts)


def _company(request: HttpRequest, code: str) -> Company:
    found = scoped(Company.objects.all(), request.auth.person, "pk").filter(code__iexact=code).first()
    if found is None:
        raise Refused(Problem(f"There is no company {code!r}.", "company"))
    return found


def _party(code: str, where: str) -> Party:
    found = Party.objects.filter(code__iexact=code).first()
    if found is None:
        raise Refused(Problem(f"There is no party {code!r}.", where))
    return found


@router.get("/open-items", response=answers(shapes.OpenItemPage), tags=["bills"])
def open_items(request: HttpRequest, after: After = "", limit: Limit = USUAL, account: Code = "", party: Code = ""):
    """What is open: owed, claimed, accrued, paid in advance; of an account, or of a party by its code."""
    require(request, "read")
    found = OpenItem.objects.filter(~Q(amount=0) | ~Q(base=0), company__in=companies_of(request.auth.person))
    found = found.filter(account=account) if account else found
    found = found.filter(party__code__iexact=party) if party else found
    rows, following = page(found.select_related("company", "party"), after, limit)
    return {"items": [_item(row) for row in rows], "next": following}


def _item(row: OpenItem) -> dict[str, object]:
    document = {"document_kind": row.document_kind, "document": row.document}
    worth = {"currency": row.currency, "amount": row.amount, "base": row.base, "since": row.occurred_on}
    party = row.party.code if row.party else ""
    return {"id": row.pk, "company": row.company.code, "account": row.account, "party": party, **document, **worth}


@router.get("/statement", response=answers(shapes.StatementOut), tags=["bills"])
def party_statement(
    request: HttpRequest,
    party: Code = "",
    currency: Code = "",
    first: Annotated[Day | None, Query()] = None,
    through: Annotated[Day | None, Query()] = None,
):
    """The statement of a party by its code: what was billed, credited and paid in a period, in one currency."""
    require(request, "read")
    if currency not in MINOR_UNITS:
        raise Refused(Problem(f"{currency!r} is not an ISO 4217 currency.", "currency", "Name one, such as USD."))
    mine, last = companies_of(request.auth.person), through or timezone.localdate()
    found = statement(mine, _party(party, "party").pk, currency, first, last)
    rows = [
        {"day": row.day, "text": row.text, "bill": row.document, "amount": row.amount, "owed": row.owed}
        for row in found.rows
    ]
    return {"party": party, "currency": currency, "before": found.before, "rows": rows, "after": found.after}


@router.get("/payments", response=answers(shapes.PaymentPage), tags=["bills"])
def payments(request: HttpRequest, after: After = "", limit: Limit = USUAL, party: Code = ""):
    """Payments, newest first; to a party by its code."""
    require(request, "read")
    found = scoped(Payment.objects.all(), request.auth.person)
    found = found.filter(party__code__iexact=party) if party else found
    rows, following = page(found.select_related("company", "party"), after, limit, newest_first=True)
    return {"items": [_payment(row) for row in rows], "next": following}


def _payment(row: Payment) -> dict[str, object]:
    names = ("day", "currency", "amount", "bank_currency", "bank_amount", "charges", "withheld")
    found: dict[str, object] = {name: getattr(row, name) for name in names}
    whose = {"company": row.company.code, "party": row.party.code}
    return found | whose | {"id": row.pk, "reversed": row.reversed_by_id is not None}


@router.post("/payments", response=answers(Made, 201) | {202: Made}, tags=["bills"])
def make_payment(request: HttpRequest, asked: shapes.PaymentIn):
    """Pay bills of one party, parts of them, or in advance on its orders.

    Beyond what one person pays alone it is asked for, and waits for a second person (202); *paid* tells of it when it
    is made.
    """
    require(request, "bills")
    company, act = _company(request, asked.company), act_of(request)
    act.require("pay", company.pk)
    parts = tuple(
        PartRequest(one.amount, one.bill, one.order, one.discount or ZERO, one.set_off) for one in asked.parts
    )
    wanted = PayRequest(
        company.pk,
        _party(asked.party, "party").pk,
        asked.day,
        asked.currency,
        parts,
        rate=asked.rate,
        bank=asked.bank,
        charges=asked.charges or ZERO,
        withheld=asked.withheld or ZERO,
        remark=asked.remark,
    )
    made = pay_or_ask(act, wanted)
    return (201, {"id": made["payment"]}) if "payment" in made else (202, {"id": made["asked"]})
