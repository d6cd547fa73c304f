"""Set the instalments of a line: split it by day."""

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date
from decimal import Decimal

from northing.access.acts import Act
from northing.actions.orders.revise import finish, opened
from northing.actions.orders.units import free_parts, new_part
from northing.activity.operations import add_history, once
from northing.core.money.periods import day_problems
from northing.core.problems import Problem, Refused, refuse_if
from northing.drawings.figures import count
from northing.orders import operations as orders
from northing.orders.models import Instalment, OrderLine
from northing.positions.operations import MoveDraft, move

ZERO = Decimal(0)


@dataclass(frozen=True)
class PartRequest:
    """A dated part of a line, as it is to be asked for; no instalment: a new part."""

    instalment: int | None
    quantity: Decimal
    asked_on: date


@dataclass(frozen=True)
class PartsRequest:
    """All parts of a line that are not packed yet; together as many units as there are of them."""

    line: int
    version: int
    parts: tuple[PartRequest, ...]


@once
def set_parts(act: Act, request: PartsRequest) -> int:
    """Divide what is not packed of a line into dated parts, or move a part's day; the supplier has to agree again."""
    line = OrderLine.objects.select_related("order", "item").get(pk=request.line)
    order = opened(act, line.order_id, request.version)
    if not order.sent_at:
        raise Refused(Problem(f"{order.number} was not sent yet.", mend="Send it first."))
    words = ", ".join(f"{count(part.quantity)} on {part.asked_on:%-d %b %Y}" for part in request.parts)
    told = [("order", order.pk, order.company_id), ("line", line.pk, order.company_id)]
    history = add_history(
        act, "set_parts", f"{order.number}/{line.number} is asked for in parts: {words}", told, shared=True
    )
    free = {part.pk: part for part in free_parts(history, line)}
    refuse_if(_part_problems(act, line, free, request.parts))
    touched = list(free)
    asked = {part.instalment: part for part in request.parts if part.instalment}
    for key, part in free.items():
        wanted = asked.get(key)
        less = part.quantity - (wanted.quantity if wanted else ZERO)
        if less > 0:
            move(history, [MoveDraft(key, "with_supplier", "ordered", less)])
            orders.shrink(part, less)
        elif less < 0:
            move(history, [MoveDraft(key, "ordered", "with_supplier", -less)])
            orders.shrink(part, less)
        if wanted and (less or wanted.asked_on != (part.promise or part.asked_on)):
            orders.ask_anew(part, wanted.asked_on)
    for wanted in request.parts:
        if wanted.instalment is None:
            touched.append(new_part(history, line, wanted.quantity, wanted.asked_on).pk)
    finish(act, order, touched)
    return line.pk


def _part_problems(
    act: Act, line: OrderLine, free: dict[int, Instalment], asked: Sequence[PartRequest]
) -> list[Problem]:
    found = []
    there, wanted = sum((part.quantity for part in free.values()), ZERO), sum((part.quantity for part in asked), ZERO)
    if there != wanted:
        words = f"The parts come to {count(wanted)}; {count(there)} {line.item.unit} are not packed yet."
        found.append(Problem(words, "parts", "Divide exactly those: more or less is a change of the order."))
    named = [part.instalment for part in asked if part.instalment is not None]
    if len(set(named)) < len(named):
        found.append(Problem("A part is there twice.", "parts", "Look again."))
    for part in asked:
        before = free.get(part.instalment) if part.instalment is not None else None
        if part.instalment is not None and before is None:
            found.append(Problem("This part is packed already.", "parts", "Look again."))
        if part.quantity <= 0 or round(part.quantity, line.item.decimals) != part.quantity:
            found.append(Problem(f"{count(part.quantity)} is not a quantity of {line.item.unit}.", "parts"))
        found += day_problems(part.asked_on, "parts")
        # A day that passed while no one moved it forbids moving another.
        moved = before is None or part.asked_on != (before.promise or before.asked_on)
        if moved and part.asked_on < act.today:
            found.append(Problem(f"{part.asked_on:%-d %b %Y} has passed.", "parts", "Ask for a day from today on."))
    return found
