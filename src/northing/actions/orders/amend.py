"""Changes to an order that need no new agreement: when we need it, whose it is."""

from dataclasses import dataclass
from datetime import date

from northing.access.acts import Act
from northing.access.models import Person
from northing.access.permissions import may
from northing.actions.worklist.refresh import bring_along
from northing.activity.operations import add_history, once
from northing.core.money.periods import day_problems
from northing.core.problems import Problem, Refused, refuse_if
from northing.drawings.figures import dated
from northing.orders import operations as orders
from northing.orders.models import Instalment, OrderLine, PurchaseOrder


@dataclass(frozen=True)
class NeedByRequest:
    """The day by which we need a line at our dock; the supplier is not told."""

    line: int
    need_by: date


@dataclass(frozen=True)
class BuyerRequest:
    """The person responsible for an order."""

    order: int
    person: int


@once
def set_need_by(act: Act, request: NeedByRequest) -> int:
    """Say anew by when we need a line. The supplier's dates, asked and promised, stand."""
    line = OrderLine.objects.select_for_update(of=("self",)).select_related("order", "item").get(pk=request.line)
    order = line.order
    act.require("write_order", order.company_id)
    problems = day_problems(request.need_by, "need_by")
    if not problems and request.need_by < act.today:
        problems.append(Problem("The need-by date has passed.", "need_by", "Enter a day from today on."))
    if not problems and request.need_by == line.need_by:
        problems.append(Problem(f"{request.need_by:%-d %b %Y} is its need-by date already.", "need_by"))
    refuse_if(problems)
    changes = [_change("need by", dated(line.need_by), dated(request.need_by))]
    add_history(
        act,
        "set_need_by",
        f"{order.number}/{line.number} is needed by {request.need_by:%-d %b %Y}",
        [("order", order.pk, order.company_id), ("line", line.pk, order.company_id)],
        changes=changes,
    )
    orders.set_need_by(line, request.need_by)
    orders.count_change(order)
    bring_along(dated=Instalment.objects.filter(line=line).values_list("pk", flat=True))
    return line.pk


@once
def assign_buyer(act: Act, request: BuyerRequest) -> int:
    """Hand an order over to a person who may write orders for its company."""
    order = PurchaseOrder.objects.select_for_update(of=("self",)).select_related("buyer").get(pk=request.order)
    act.require("write_order", order.company_id)
    person = Person.objects.get(pk=request.person)
    if not may(person, "write_order", order.company_id):
        raise Refused(Problem(f"{person} may not write orders for this company.", "person", "Choose another person."))
    if person.pk == order.buyer_id:
        raise Refused(Problem(f"{order.number} is {person}'s already.", "person"))
    add_history(
        act,
        "assign_buyer",
        f"{order.number} is {person}'s now",
        [("order", order.pk, order.company_id), *_lines(order)],
        changes=[_change("buyer", str(order.buyer), str(person))],
    )
    orders.mark_change(order, buyer=person)
    bring_along(dated=Instalment.objects.filter(line__order=order).values_list("pk", flat=True))
    return order.pk


def _lines(order: PurchaseOrder) -> list[tuple[str, int, int | None]]:
    return [("line", pk, order.company_id) for pk in order.lines.values_list("pk", flat=True)]


def _change(field: str, old: str, new: str) -> dict[str, str]:
    return {"field": field, "old": old, "new": new}
