"""Keep a supplier's bill without booking it: until its goods are ours, or sent back; or as the supplier entered it."""

from collections.abc import Sequence
from dataclasses import dataclass
from decimal import Decimal

from django.template.loader import render_to_string

from northing.access.acts import Act, future_problem
from northing.actions.billing.request import BillLineRequest, BillRequest
from northing.actions.worklist.kept import refresh_kept
from northing.activity.documents import attach
from northing.activity.operations import Link, add_history, once
from northing.billing import operations as billing
from northing.billing.models import Bill, KeptBill
from northing.core.billing.tolerance import bill_number_key
from northing.core.money.exact import plain
from northing.core.money.money import is_whole
from northing.core.problems import Problem, Refused, refuse_if
from northing.masterdata.models import Company, Party
from northing.messaging import mail
from northing.orders.models import OrderLine

ZERO = Decimal(0)
LARGEST = Decimal(999_999_999_999)


@dataclass(frozen=True)
class KeepRequest:
    """A bill as it is entered, whether it waits for goods or goes back, and why it does."""

    bill: BillRequest
    send_back: bool = False
    why: str = ""
    name: str = ""
    content: bytes = b""


@dataclass(frozen=True)
class DropRequest:
    """A kept bill (id) that is not to be booked, and why."""

    kept: int
    reason: str


@once
def keep_bill(act: Act, request: KeepRequest) -> int:
    """Keep a bill: it waits for its goods, or goes back to the supplier with a letter. Returns its id."""
    asked = request.bill
    act.require("book_bill", asked.company)
    why = " ".join(request.why.split())
    problems = _problems(act, asked)
    if request.send_back and not why:
        problems.append(Problem("Say what is wrong with the bill.", "why", "The supplier reads it."))
    if len(why) > 240:
        problems.append(Problem("The reason is too long.", "why", "240 signs are enough."))
    refuse_if(problems)
    state = KeptBill.State.SENT_BACK if request.send_back else KeptBill.State.WAITS
    kept = _kept(act, asked, state, why)
    words = f"went back to {kept.party}: {why}" if request.send_back else "waits for its goods"
    if request.send_back:
        _tell(act, kept)
    _told(act, kept, "keep_bill", f"{kept} of {kept.party} {words}")
    refresh_kept([kept.pk])
    return kept.pk


@once
def enter_bill(act: Act, request: KeepRequest) -> int:
    """The supplier enters its bill by its link; our accounts check it. Returns its id."""
    asked = request.bill
    act.require_supplier(asked.party)
    if act.supplier is None:
        act.require("book_bill", asked.company)
    problems = _problems(act, asked)
    lines = OrderLine.objects.filter(
        order__supplier=asked.party, order__company=asked.company, order__sent_at__isnull=False
    )
    known = set(lines.filter(pk__in=[one.order_line for one in asked.lines]).values_list("pk", flat=True))
    if any(one.order_line not in known for one in asked.lines):
        problems.append(Problem("This is no line of your orders.", "lines", "Open the page again."))
    if not asked.lines and not request.content:
        problems.append(Problem("The bill is empty.", "lines", "Enter what it bills, or attach it."))
    kept = _open_one(asked)
    if kept and kept.state != KeptBill.State.SENT_BACK:
        problems.append(Problem(f"Bill {asked.number} is entered already.", "number", "Use another number."))
    refuse_if(problems)
    kept = _kept(act, asked, KeptBill.State.ENTERED, "")
    if request.content:
        attach(act, "kept", kept.pk, kept.company_id, request.name, request.content, True)
    _told(act, kept, "enter_bill", f"{kept.party} entered {kept}", shared=True)
    refresh_kept([kept.pk])
    return kept.pk


@once
def drop_bill(act: Act, request: DropRequest) -> int:
    """A kept bill is not to be booked. Returns its id."""
    kept = KeptBill.objects.select_for_update(of=("self",)).select_related("party").get(pk=request.kept)
    act.require("book_bill", kept.company_id)
    reason = " ".join(request.reason.split())[:240]
    if not kept.is_open:
        raise Refused(Problem(f"{kept} is {kept.get_state_display().lower()} already.", mend="Reload the page."))
    if not reason:
        raise Refused(Problem("Say why it is not booked.", "reason"))
    kept.state, kept.why = KeptBill.State.DROPPED, reason
    billing.keep_bill(kept)
    _told(act, kept, "drop_bill", f"{kept} of {kept.party} is not to be booked: {reason}")
    refresh_kept([kept.pk])
    return kept.pk


def _key(asked: BillRequest) -> str:
    return bill_number_key(asked.number.strip())


def _open_one(asked: BillRequest, *, lock: bool = False) -> KeptBill | None:
    """The kept bill with that number that is still to be booked."""
    found = KeptBill.objects.select_for_update() if lock else KeptBill.objects.all()
    return found.filter(party=asked.party, number_key=_key(asked), state__in=KeptBill.OPEN).first()


def _problems(act: Act, asked: BillRequest) -> list[Problem]:
    found = future_problem(asked.day, act, "day")
    if not asked.number.strip() or len(asked.number.strip()) > 40:
        found.append(Problem("A bill has a number of at most 40 signs.", "bill_number", "Enter it as on the bill."))
        return found
    booked = Bill.objects.filter(party=asked.party, number_key=_key(asked), reversed_by=None).first()
    if booked:
        what = f"Number {booked.number} is booked already, dated {booked.day:%-d %b %Y}."
        found.append(Problem(what, "bill_number", "Check the number.", record=("bill", booked.pk)))
    for number, one in enumerate(asked.lines):
        where = f"quantity-{one.where}" if one.where else f"lines-{number}"
        figures = [one.quantity or ZERO, one.price or ZERO]
        if any(not 0 <= value <= LARGEST for value in figures) or abs(one.amount) > LARGEST:
            found.append(Problem("This is no figure of a bill.", where, "Enter it as on the bill."))
    kept = _open_one(asked)
    if kept and kept.company_id != asked.company:
        found.append(Problem(f"Number {kept.number} of this supplier is kept already.", "bill_number", "Check it."))
    amounts = [value for value in (asked.total, asked.tax) if value is not None]
    if any(not 0 <= value <= LARGEST or not is_whole(value, asked.currency) for value in amounts):
        found.append(Problem(f"This is no amount in {asked.currency}.", "total", "Enter it as on the bill."))
    return found


def _kept(act: Act, asked: BillRequest, state: str, why: str) -> KeptBill:
    """The bill as it is kept; one with the same number that is open is what it was before."""
    kept = _open_one(asked, lock=True) or KeptBill(entered_by=act.person, at=act.at)
    kept.company = Company.objects.get(pk=asked.company)
    kept.party = Party.objects.get(pk=asked.party)
    kept.number, kept.number_key = asked.number.strip(), _key(asked)
    kept.day, kept.currency, kept.total, kept.tax = asked.day, asked.currency, asked.total, asked.tax
    kept.lines, kept.state, kept.why = [_as_text(one) for one in asked.lines], state, why
    return billing.keep_bill(kept)


def _as_text(one: BillLineRequest) -> dict[str, str | int]:
    if one.order_line is None:
        return {"kind": one.kind, "amount": plain(one.amount), "remark": one.remark}
    found: dict[str, str | int] = {"order_line": one.order_line, "quantity": plain(one.quantity or ZERO)}
    return found if one.price is None else found | {"price": plain(one.price)}


def _told(act: Act, kept: KeptBill, action: str, text: str, *, shared: bool = False) -> None:
    lines = OrderLine.objects.filter(pk__in=order_lines(kept.lines)).values_list("pk", "order")
    links: list[Link] = [("kept", kept.pk, kept.company_id)]
    links += [("order", order, kept.company_id) for order in sorted({order for _, order in lines})]
    add_history(act, action, text, links, shared=shared)


def order_lines(lines: Sequence[dict]) -> list[int]:
    """The order lines (ids) of a kept bill's lines."""
    return [one["order_line"] for one in lines if "order_line" in one]


def _tell(act: Act, kept: KeptBill) -> None:
    if not kept.party.email:
        return
    body = render_to_string("letters/bill_back.txt", {"kept": kept, "person": act.person})
    draft = mail.Draft("bill_back", kept.party.email, f"Your bill {kept.number}", body, kept.company_id, kept.party_id)
    mail.write(act, draft)
