"""Changing an order: a draft in place; a sent one by a revision, which asks again for what needs agreeing.

Quantity, date, price and terms need a new agreement; remarks, references, the buyer and our need-by date do not.
Only what is not packed yet changes; what was agreed before stays readable in the answers and revisions.
"""

from collections.abc import Iterable, Sequence
from dataclasses import dataclass, replace
from datetime import date, timedelta
from decimal import Decimal

from django.db import transaction
from django.db.models import Sum

from northing.access.acts import Act
from northing.actions.costing import charges
from northing.actions.orders.send import mail_order
from northing.actions.orders.units import ask_anew, new_part, take_back_units
from northing.actions.orders.write import (
    PERCENTAGES,
    LineRequest,
    head_problems,
    links,
    locked,
    order_total,
    terms_of_lines,
)
from northing.actions.worklist.refresh import bring_along
from northing.activity.models import HistoryEntry
from northing.activity.operations import add_history, once
from northing.confirmations import operations as confirmations
from northing.core.orders.orders import LineDraft, line_problems
from northing.core.problems import Problem, Refused, refuse_if
from northing.drawings.figures import count, dated
from northing.orders import operations as orders
from northing.orders.documents import changes
from northing.orders.models import Instalment, OrderLine, PurchaseOrder, Revision

ZERO = Decimal(0)
# What of a sent order's head needs agreeing again when it changes: what is delivered where, and for how much.
TERMS = ("incoterm", "incoterm_place", "discount", "surcharge")
# Actions that change an order; each counts its version up.
CHANGES = (
    "change_order",
    "set_parts",
    "cancel",
    "reopen",
    "take_back",
    "set_need_by",
    "assign_buyer",
    "check_order",
    "approve_order",
    "send_order",
)


@dataclass(frozen=True)
class LineChange:
    """A line as it is to be; quantity in base units, price per pack."""

    line: int
    quantity: Decimal
    pack_price: Decimal
    discount: Decimal
    need_by: date


@dataclass(frozen=True)
class ChangeRequest:
    """An order as it is to be; `version` is the one that was looked at."""

    order: int
    version: int
    head: tuple[tuple[str, object], ...]
    lines: tuple[LineChange, ...] = ()
    added: tuple[LineRequest, ...] = ()


@dataclass(frozen=True)
class Preview:
    """The effect of a change: the differences; (line number, units, unit) to be agreed again; the amounts."""

    changes: list[dict[str, str]]
    again: list[tuple[int, Decimal, str]]
    before: Decimal
    after: Decimal


class Overtaken(Refused):
    """Another person changed the order meanwhile; `told` is what they did."""

    def __init__(self, told: Sequence[HistoryEntry]):
        self.told = list(told)
        said = "; ".join(_who_did(entry) for entry in reversed(self.told)) or "it is in the story"
        words = f"Another person has changed this order since you opened it ({said})."
        super().__init__(Problem(words, mend="Your entries are kept: compare, and send them again."))


def preview(act: Act, request: ChangeRequest) -> Preview:
    """The effect of the change, by doing it and undoing it: nothing is kept and nothing is sent.

    Raises Refused as `change_order` would.
    """
    with transaction.atomic():
        order = PurchaseOrder.objects.select_related("company", "supplier").get(pk=request.order)
        agreed, before = _agreed(order), order_total(order)
        try:
            change_order(replace(act, key="", channel="demo"), request)
            left = _agreed(order)
            lost = [(number, units - left[number, unit], unit) for (number, unit), units in agreed.items()]
            again = [row for row in lost if row[1] > 0]
            seen = order.revision
            order.refresh_from_db()
            changed = difference(order) if order.revision != seen else []
            return Preview(changed, again, before, order_total(order))
        finally:
            transaction.set_rollback(True)


def _agreed(order: PurchaseOrder) -> dict[tuple[int, str], Decimal]:
    """Agreed units by line number and unit."""
    found = order.lines.values_list("number", "item__unit").annotate(Sum("instalments__agreed_quantity"))
    return {(number, unit): units or ZERO for number, unit, units in found}


def _who_did(entry: HistoryEntry) -> str:
    fields = ", ".join(f"{change['field']} {change['old']} → {change['new']}" for change in entry.changes)
    return f"{entry.actor}: {entry.text}{': ' if fields else ''}{fields}"


@once
def change_order(act: Act, request: ChangeRequest) -> int:
    """Change a draft, or make and send a revision of a sent order."""
    order = opened(act, request.order, request.version)
    head = dict(request.head)
    refuse_if(head_problems(head))
    before = {line.pk: line for line in order.lines.select_related("item")}
    refuse_if(_line_problems(act, order, before, request.lines))
    new_lines = terms_of_lines(act, order.need_by, request.added, order.supplier)
    told = [*_changed_head(order, head), *_changed_lines(before, request.lines)]
    told += [{"field": "new line", "old": "", "new": f"{count(line.quantity)} {line.item.code}"} for line in new_lines]
    if not told:
        raise Refused(Problem("Nothing is different from before.", mend="Change something, or leave the page."))
    sent = order.sent_at is not None
    words = f"Changed order {order.number}"
    if {one["field"] for one in told} <= OURS:
        add_history(act, "change_order", words, links(order), changes=told)
        orders.mark(order, **head)
        orders.count_change(order)
        return order.pk
    history = add_history(act, "change_order", words, links(order), changes=told, shared=sent)
    again = any(name in head and head[name] != getattr(order, name) for name in TERMS)
    orders.mark(order, **head, **({} if sent else UNCHECKED))
    orders.reprice(order, before.values())
    touched: list[int] = []
    for change in request.lines:
        touched += _change_line(history, order, before[change.line], change)
    for line in before.values() if again and sent else ():
        touched += ask_anew(history, line)
    for terms in new_lines:
        touched += _add_line(history, order, terms)
    finish(act, order, touched, [change.line for change in request.lines])
    return order.pk


# Of no concern to the supplier, nor to who approved: no revision is made for it.
OURS = {"remind days"}
# What a changed draft has lost.
UNCHECKED = {"checked_at": None, "checked_by": None, "approved_at": None, "approved_by": None}


def opened(act: Act, key: int, version: int) -> PurchaseOrder:
    order = locked(key)
    act.require("write_order", order.company_id)
    if order.cancelled_at:
        raise Refused(Problem(f"{order.number} is cancelled.", mend="Reopen it first."))
    if order.version != version:
        told = HistoryEntry.objects.filter(links__kind="order", links__record=order.pk, action__in=CHANGES)
        raise Overtaken(told.select_related("actor").order_by("-id")[: max(1, min(order.version - version, 5))])
    return order


def _line_problems(
    act: Act, order: PurchaseOrder, before: dict[int, OrderLine], asked: Sequence[LineChange]
) -> list[Problem]:
    found = []
    for change in asked:
        line = before.get(change.line)
        if line is None:
            found.append(Problem("This line is not of this order.", f"line-{change.line}"))
            continue
        where = f"line-{line.pk}"
        draft = LineDraft(
            where,
            change.quantity,
            line.item.decimals,
            line.item.unit,
            change.pack_price,
            change.discount,
            change.need_by,
            line.pack_factor,
        )
        # A need-by date that passed while no one changed it forbids no other change.
        today = act.today if change.need_by != line.need_by else date.min
        found += [replace(problem, where=where) for problem in line_problems(draft, today)]
        if order.sent_at:
            fixed = _fixed(line)
            if change.quantity < fixed:
                words = (
                    f"Line {line.number}: {count(fixed)} are packed, received or cancelled; they cannot be taken back."
                )
                found.append(Problem(words, where, f"Enter at least {count(fixed)}."))
    return found


def _fixed(line: OrderLine) -> Decimal:
    """The units of a line that are beyond change: all that are not with the supplier any more."""
    parts = Instalment.objects.filter(line=line, position__isnull=False).select_related("position")
    return sum((part.quantity - part.position.with_supplier for part in parts), ZERO)


def _changed_head(order: PurchaseOrder, head: dict) -> list[dict[str, str]]:
    return [
        {"field": name.replace("_", " "), "old": said_of(name, getattr(order, name)), "new": said_of(name, value)}
        for name, value in head.items()
        if getattr(order, name) != value
    ]


def said_of(name: str, value: object) -> str:
    """A value of an order's head in words."""
    return f"{count(Decimal(str(value)) * 100)} %" if name in PERCENTAGES else str(value or "")


def _changed_lines(before: dict[int, OrderLine], asked: Sequence[LineChange]) -> list[dict[str, str]]:
    found = []
    for change in asked:
        line = before[change.line]
        for name in ("quantity", "pack_price", "discount", "need_by"):
            old, new = getattr(line, name), getattr(change, name)
            if old != new:
                said = [dated(value) if isinstance(value, date) else count(value) for value in (old, new)]
                words = name.replace("pack_price", "price").replace("_", " ")
                found.append({"field": f"line {line.number} {words}", "old": said[0], "new": said[1]})
    return found


def _change_line(history, order: PurchaseOrder, line: OrderLine, change: LineChange) -> list[int]:
    """Write the line; of a sent order bring its instalments along. Returns those that were touched."""
    more = change.quantity - line.quantity
    dearer = (change.pack_price, change.discount) != (line.pack_price, line.discount)
    orders.change_line(
        order,
        line,
        quantity=change.quantity,
        pack_price=change.pack_price,
        discount=change.discount,
        need_by=change.need_by,
    )
    if not order.sent_at:
        return []
    touched = []
    if more < 0:
        touched += take_back_units(history, line, -more)
    if dearer:
        touched += ask_anew(history, line)
    if more > 0:
        ready = change.need_by - timedelta(days=order.supplier.passage_days)
        touched.append(new_part(history, line, more, ready).pk)
    return touched


def _add_line(history, order: PurchaseOrder, terms: orders.LineTerms) -> list[int]:
    line = orders.add_line(order, terms)
    if not order.sent_at:
        return []
    ready = line.need_by - timedelta(days=order.supplier.passage_days)
    return [new_part(history, line, line.quantity, ready).pk]


def finish(act: Act, order: PurchaseOrder, touched: Sequence[int], lines: Iterable[int] = ()) -> None:
    """Count the change; of a sent order keep and send a revision. Of `lines` only our own dates changed."""
    confirmations.replace_open(touched)
    orders.count_change(order)
    if order.sent_at:
        revision = orders.write_revision(act, order)
        orders.mark(order, revision=revision.number)
        mail_order(act, order, "cancelled" if order.cancelled_at else "order")
    # Whole lines: a part that was split has left its packed units in another that no one named.
    whole = Instalment.objects.filter(line__instalments__in=list(touched)).distinct().values_list("pk", flat=True)
    dated = Instalment.objects.filter(line__in=list(lines)).values_list("pk", flat=True)
    bring_along(orders=[order.pk], instalments=list(whole), dated=dated)
    charges.follow_units(act, whole.values_list("line", flat=True))


def difference(order: PurchaseOrder) -> list[dict[str, str]]:
    """The changes of the latest revision against the one before."""
    last = list(Revision.objects.filter(order=order).order_by("-number")[:2])
    return changes(last[1].content, last[0].content) if len(last) == 2 else []
