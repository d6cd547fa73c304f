"""A bill as a supplier types it on its page; read with the same care as our own forms."""

from collections.abc import Sequence
from datetime import date
from decimal import Decimal

from northing.actions.billing.request import BillLineRequest, BillRequest
from northing.core.money.exact import read_exact
from northing.core.money.periods import day_problems
from northing.core.problems import Problem, Refused
from northing.reports.billable import Billable


def bill_said(post, lines: Sequence[Billable]) -> BillRequest:
    """The bill of one company's goods in one currency. Raises Refused with all that is wrong."""
    problems: list[Problem] = []
    number, order = post.get("number", "").replace("\x00", "").strip(), lines[0].line.order
    if not number or len(number) > 40:
        problems.append(Problem("Write the number of your bill, at most 40 signs.", "number"))
    found = []
    for one in lines:
        where = f"bill-{one.line.pk}"
        units = _figure(post, f"units-{one.line.pk}", where, problems)
        price = _figure(post, f"price-{one.line.pk}", where, problems)
        if units:
            found.append(BillLineRequest(order_line=one.line.pk, quantity=units, price=price, where=where))
    total, tax = (_figure(post, name, name, problems) for name in ("total", "tax"))
    day = _day(post.get("dated", ""), problems)
    if problems:
        raise Refused(problems)
    head = (order.company_id, order.supplier_id, number, day, order.currency)
    return BillRequest(*head, tuple(found), tax=tax or Decimal(0), total=total)


def _figure(post, name: str, where: str, problems: list[Problem]) -> Decimal | None:
    said = post.get(name, "").strip().replace(",", "").replace(" ", "")
    if not said:
        return None
    try:
        return read_exact(said[:40])
    except ValueError:
        problems.append(Problem(f"{said[:20]!r} is not a number.", where, "Write it such as 1200 or 18.40."))
        return None


def _day(said: str, problems: list[Problem]) -> date:
    try:
        day = date.fromisoformat(said)
    except ValueError:
        problems.append(Problem("Write the day of the bill.", "dated"))
        return date.min
    problems += day_problems(day, "dated")
    return day
