"""Order: check, approve by another person where its amount asks for one, send.

Sending checks, and approves where the amount needs no second person: each of the two is an act of its own only for
who wants it. A company says above which amount an order needs a second person (`Company.approval_above`).
"""

from collections.abc import Sequence
from dataclasses import dataclass, replace
from datetime import date
from decimal import Decimal
from typing import Any

from django.template.loader import render_to_string

from northing.access.acts import Act
from northing.access.permissions import limit_of, may
from northing.actions.confirmations.supplier_links import LINK
from northing.actions.orders.write import OrderRequest, draft_of, links, locked, order_total
from northing.actions.worklist.refresh import bring_along
from northing.actions.worklist.stakes import Stakes
from northing.activity.operations import add_history, once
from northing.core.confirmations.agreement import misfits
from northing.core.orders.orders import LineDraft, asks_second_person, line_problems
from northing.core.problems import Problem, Refused, Strength, refuse_if
from northing.drawings.figures import money
from northing.masterdata.catalogue import Catalogue, offer_of
from northing.masterdata.models import Agreement, Party
from northing.messaging import mail
from northing.orders import operations as orders
from northing.orders.models import OrderLine, PurchaseOrder
from northing.orders.queries import never_sold
from northing.positions import operations as positions

RELOAD = "Reload the page."


@dataclass(frozen=True)
class OrderAct:
    """Something done to an order as a whole."""

    order: int


@once
def check_order(act: Act, request: OrderAct) -> int:
    """Check a draft; it then waits for a second person, or to be sent."""
    order = locked(request.order)
    act.require("check_order", order.company_id)
    if order.checked_at:
        raise Refused(Problem(f"{order.number} is checked already.", mend=RELOAD))
    lines = lines_of(order)
    passed = _passed(order, lines, act.today)
    orders.mark_change(order, checked_at=act.at, checked_by=act.person)
    add_history(act, "check_order", f"Checked order {order.number}{passed}", links(order, [line.pk for line in lines]))
    bring_along(orders=[order.pk])
    return order.pk


def lines_of(order: PurchaseOrder) -> list[OrderLine]:
    """The order's lines with their items."""
    return list(order.lines.select_related("item").order_by("number"))


def _passed(order: PurchaseOrder, lines: Sequence[OrderLine], today: date) -> str:
    """The warnings that the check lets pass, as words of its story. Raises Refused where one blocks."""
    warnings = refuse_if(problem for found in checks(order, lines, today).values() for problem in found)
    return "".join(f"; passed: {warning.what}" for warning in warnings)


def checks(order: PurchaseOrder, lines: Sequence[OrderLine], today: date) -> dict[int, list[Problem]]:
    """The problems of sending each line, by its id: blocks, and warnings that let it pass."""
    catalogue = Catalogue(known=[line.item for line in lines], suppliers=[order.supplier_id])
    agreed = {line.pk: catalogue.agreement(order.supplier, line.item_id, today, line.quantity) for line in lines}
    found = {line.pk: _checks_of(line, order.supplier, agreed[line.pk], today) for line in lines}
    new = [line for line in lines if not agreed[line.pk]]
    sold = never_sold(order.supplier_id, {line.item_id for line in new}) if new else set()
    for line in new:
        if line.item_id in sold:
            what = f"Line {line.number}: {order.supplier} never sold {line.item.code} to us."
            mend = "Check the item, or agree a price first."
            found[line.pk].append(Problem(what, f"line {line.number}-item", mend, Strength.WARN))
    return found


def _checks_of(line: OrderLine, supplier: Party, agreement: Agreement | None, today: date) -> list[Problem]:
    where, item, factor = f"line {line.number}", line.item, line.pack_factor
    draft = LineDraft(
        where, line.quantity, item.decimals, item.unit, line.pack_price, line.discount, line.need_by, factor
    )
    found = line_problems(draft, today)
    if agreement:
        offer = offer_of(agreement, supplier, factor)
        found += misfits(where, line.quantity, line.pack_price, line.need_by, today, offer)
    return [replace(problem, what=f"Line {line.number}: {problem.what}") for problem in found]


@once
def approve_order(act: Act, request: OrderAct) -> int:
    """Approve; never by the person who checked or wrote it."""
    order = locked(request.order)
    _approve(act, order)
    add_history(act, "approve_order", f"Approved order {order.number}", links(order))
    bring_along(orders=[order.pk])
    return order.pk


@once
def approve_and_send(act: Act, request: OrderAct) -> int:
    """Approve an order that waits for it, and send it: one act for a person who may do both."""
    order = locked(request.order)
    act.require("send_order", order.company_id)
    _approve(act, order)
    return _send(act, order, "Approved and sent")


def _approve(act: Act, order: PurchaseOrder) -> None:
    act.require("approve_order", order.company_id)
    if not order.checked_at:
        raise Refused(Problem(f"{order.number} is not checked yet.", mend="Check it first."))
    if order.approved_at:
        raise Refused(Problem(f"{order.number} is approved already.", mend=RELOAD))
    if act.person.pk in (order.checked_by_id, order.buyer_id):
        raise Refused(Problem("An order is approved by a second person.", mend="Ask another person who may approve."))
    _within_limit(act, order)
    orders.mark_change(order, approved_at=act.at, approved_by=act.person)


def _within_limit(act: Act, order: PurchaseOrder) -> None:
    """Compare the order's amount, in base currency, with the limit in the person's grant."""
    most = limit_of(act.person, "approve_order", order.company_id)
    if most is None:
        return
    currency, amount = order.company.currency, base_total(order, lines_of(order))
    if amount is None:
        what = (
            f"There is no rate of {order.currency}, and you may approve only up to {currency} {money(most, currency)}."
        )
        raise Refused(Problem(what, mend="Enter today's rate, or ask a person without a limit."))
    if amount > most:
        what = f"The order is worth {currency} {money(amount, currency)}; you may approve {money(most, currency)}."
        raise Refused(Problem(what, mend="Ask a person with a higher limit."))


def base_total(order: PurchaseOrder, lines: Sequence[OrderLine]) -> Decimal | None:
    """The order's amount without tax in base currency at the newest book rate; None where there is no rate."""
    total = order_total(order, lines)
    amount = Stakes().base(order.company, total, order.currency)
    return None if total and not amount else amount


def needs_second_person(order: PurchaseOrder, lines: Sequence[OrderLine]) -> bool:
    """Whether the order's amount asks for approval by a second person; without a rate it does."""
    above = order.company.approval_above
    amount = None if above is None else base_total(order, lines)
    return asks_second_person(above, amount)


@once
def send_order(act: Act, request: OrderAct) -> int:
    """Send; from now on its quantities are supply. Checks, and approves where no second person is needed."""
    order = locked(request.order)
    act.require("send_order", order.company_id)
    if order.sent_at:
        raise Refused(Problem(f"{order.number} was sent already.", mend=RELOAD))
    lines = lines_of(order)
    if not order.approved_at and needs_second_person(order, lines):
        raise Refused(Problem(f"{order.number} is not approved yet.", mend=_who_approves(order)))
    return _send(act, order, "Sent", lines)


def _who_approves(order: PurchaseOrder) -> str:
    above, currency = order.company.approval_above, order.company.currency
    what = "It needs a second person's approval"
    return f"{what}." if above is None else f"{what}: it is worth more than {currency} {money(above, currency)}."


@once
def place_order(act: Act, request: OrderRequest) -> int:
    """Write an order and send it; where it needs a second person it is checked and waits for one.

    Nothing of it is kept when it is refused. A person who may not send leaves it checked, or as a draft.
    """
    order = draft_of(act, request)
    lines = lines_of(order)
    if may(act.person, "send_order", order.company_id) and not needs_second_person(order, lines):
        return _send(act, order, "Wrote and sent", lines)
    told = f"Wrote order {order.number} to {order.supplier}"
    if may(act.person, "check_order", order.company_id):
        told = f"Wrote and checked order {order.number} to {order.supplier}{_passed(order, lines, act.today)}"
        orders.mark_change(order, checked_at=act.at, checked_by=act.person)
    add_history(act, "write_order", told, links(order, [line.pk for line in lines]))
    bring_along(orders=[order.pk])
    return order.pk


def _send(act: Act, order: PurchaseOrder, did: str, lines: Sequence[OrderLine] | None = None) -> int:
    """Make the order supply and write to its supplier; what was not checked before is checked now."""
    lines = lines_of(order) if lines is None else lines
    tied = links(order, [line.pk for line in lines])
    facts: dict[str, Any] = {"approved_at": order.approved_at or act.at}
    if not order.checked_at:
        facts |= {"checked_at": act.at, "checked_by": act.person}
        if passed := _passed(order, lines, act.today):
            # Its supplier reads the story of sending; what we let pass is ours.
            add_history(act, "check_order", f"Checked order {order.number}{passed}", tied)
    instalments = orders.write_instalments(order, lines)
    revision = orders.write_revision(act, order)
    orders.mark_change(order, sent_at=act.at, revision=revision.number, **facts)
    history = add_history(
        act, "send_order", f"{did} order {order.number}, revision {revision.number}", tied, shared=True
    )
    positions.supply(history, [(part.pk, part.quantity) for part in instalments])
    bring_along(orders=[order.pk], instalments=[part.pk for part in instalments])
    mail_order(act, order)
    return order.pk


def mail_order(act: Act, order: PurchaseOrder, letter: str = "order") -> None:
    """The order to its supplier, with the papers and a link to answer by; or that it is cancelled or withdrawn.

    No one is written to who has no address, nor by the demo world's own actions.
    """
    if not order.supplier.email or act.channel == "demo":
        return
    body = render_to_string(f"letters/{letter}.txt", {"order": order, "link": LINK})
    what = f", revision {order.revision}" if order.revision > 1 else ""
    mail.write(
        act,
        mail.Draft(
            kind="order",
            recipient=order.supplier.email,
            subject=f"Order {order.number}{what if letter == 'order' else f' is {letter}'}",
            body=body,
            company=order.company_id,
            supplier=order.supplier_id,
            papers=[("order", order.pk)] if letter == "order" else [],
        ),
    )
