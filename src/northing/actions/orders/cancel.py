"""Stopping an order and going on with it: cancel and reopen, wholly or by line; take back before it was agreed."""

from collections.abc import Sequence
from dataclasses import dataclass
from decimal import Decimal

from northing.access.acts import Act
from northing.actions.orders.revise import UNCHECKED, finish
from northing.actions.orders.send import mail_order
from northing.actions.orders.units import locked_parts, new_part
from northing.actions.orders.write import links, locked
from northing.actions.worklist.refresh import bring_along
from northing.activity.operations import add_history, once
from northing.claims.queries import cases_replaced_by
from northing.confirmations import operations as confirmations
from northing.core.problems import Problem, Refused
from northing.drawings.figures import count
from northing.orders import operations as orders
from northing.orders.models import Instalment, OrderLine, PurchaseOrder
from northing.positions import operations as positions
from northing.worklist.operations import forget_unsent

ZERO = Decimal(0)


@dataclass(frozen=True)
class StopRequest:
    """Cancel, reopen or take back: an order, or only some of its lines."""

    order: int
    lines: tuple[int, ...] = ()


@once
def cancel(act: Act, request: StopRequest) -> int:
    """Cancel an order or lines of it: what is with the supplier is dropped; what is packed or received cannot be."""
    order = locked(request.order)
    act.require("write_order", order.company_id)
    if not order.sent_at:
        raise Refused(Problem(f"{order.number} was not sent: it is no supply.", mend="Leave the draft, or change it."))
    lines = _lines(order, request.lines)
    parts = [part for line in lines for part in locked_parts(line) if part.position.with_supplier > 0]
    if not parts:
        mend = "What is packed or received cannot be cancelled."
        raise Refused(Problem("Nothing of it is with the supplier any more.", mend=mend))
    units = sum((part.position.with_supplier for part in parts), ZERO)
    words = f"{_stop_words('Cancelled', order, request.lines, lines)}: {count(units)} units are on order no more"
    history = add_history(act, "cancel", words, links(order), shared=True)
    drops = [positions.MoveDraft(part.pk, "with_supplier", "dropped", part.position.with_supplier) for part in parts]
    positions.move(history, drops)
    if not request.lines:
        orders.mark(order, cancelled_at=act.at)
    finish(act, order, [part.pk for part in parts])
    bring_along(cases=cases_replaced_by(order.pk))
    return order.pk


@once
def reopen(act: Act, request: StopRequest) -> int:
    """Order again what was cancelled: it is with the supplier, and needs agreeing anew."""
    order = locked(request.order)
    act.require("write_order", order.company_id)
    lines = {line.pk: line for line in _lines(order, request.lines)}
    parts = [part for line in lines.values() for part in locked_parts(line) if part.position.dropped > 0]
    if not parts:
        raise Refused(Problem("Nothing of it was cancelled.", mend="Look again."))
    units = sum((part.position.dropped for part in parts), ZERO)
    words = (
        f"{_stop_words('Reopened', order, request.lines, [*lines.values()])}: {count(units)} units are on order again"
    )
    history = add_history(act, "reopen", words, links(order), shared=True)
    touched = [part.pk for part in parts]
    for part in parts:
        touched.append(_order_again(act, history, lines[part.line_id], part))
    orders.mark(order, cancelled_at=None)
    finish(act, order, list(dict.fromkeys(touched)))
    bring_along(cases=cases_replaced_by(order.pk))
    return order.pk


def _order_again(act: Act, history, line: OrderLine, part: Instalment) -> int:
    """Ask for a part's dropped units anew: where the rest of it is packed, in a part of its own."""
    units, day = part.position.dropped, max(part.asked_on, act.today)
    if units < part.quantity:
        positions.move(history, [positions.MoveDraft(part.pk, "dropped", "ordered", units)])
        orders.shrink(part, units)
        return new_part(history, line, units, day).pk
    positions.move(history, [positions.MoveDraft(part.pk, "dropped", "with_supplier", units)])
    orders.ask_anew(part, day)
    return part.pk


@once
def take_back(act: Act, request: StopRequest) -> int:
    """Take an order back before the supplier began: it is a draft again and no supply."""
    order = locked(request.order)
    act.require("write_order", order.company_id)
    if not order.sent_at:
        raise Refused(Problem(f"{order.number} was not sent.", mend="Reload the page."))
    parts = [part for line in order.lines.all() for part in locked_parts(line)]
    if any(part.agreed_quantity > 0 for part in parts):
        raise Refused(Problem("The supplier has agreed to some of it.", mend="Cancel it instead."))
    if any(part.position.with_supplier != part.quantity for part in parts):
        raise Refused(Problem("Some of it is packed, received or cancelled.", mend="Cancel what is left instead."))
    units = sum((part.quantity for part in parts), ZERO)
    words = f"Took order {order.number} back: {count(units)} units are on order no more"
    history = add_history(act, "take_back", words, links(order), shared=True)
    positions.move(history, [positions.MoveDraft(part.pk, "with_supplier", "ordered", part.quantity) for part in parts])
    for part in parts:
        orders.shrink(part, part.quantity)
    orders.mark_change(order, sent_at=None, **UNCHECKED)
    confirmations.replace_open([part.pk for part in parts])
    mail_order(act, order, "withdrawn")
    bring_along(orders=[order.pk], instalments=[part.pk for part in parts])
    forget_unsent([order.pk])
    return order.pk


def _lines(order: PurchaseOrder, keys: Sequence[int]) -> list[OrderLine]:
    found = list(order.lines.filter(pk__in=keys) if keys else order.lines.all())
    if len(found) < len(keys):
        raise Refused(Problem("A line is not of this order.", "lines"))
    return found


def _stop_words(what: str, order: PurchaseOrder, asked: Sequence[int], lines: Sequence[OrderLine]) -> str:
    if not asked:
        return f"{what} order {order.number}"
    return f"{what} {order.number} line {', '.join(str(line.number) for line in lines)}"
