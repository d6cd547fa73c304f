"""After the entry: what the office asked for is paid to it, then it releases the goods."""

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date
from decimal import Decimal

from northing.access.acts import Act, future_problem
from northing.actions.reversal import ReverseRequest, refuse_reversal
from northing.actions.worklist.refresh import bring_along
from northing.activity.operations import Link, add_history, once
from northing.core.problems import Problem, Refused, refuse_if
from northing.customs import operations
from northing.customs.models import CustomsEntry, OfficePayment, OfficePaymentPart, Release
from northing.customs.queries import is_released, owed_on, settled_with
from northing.drawings.figures import money
from northing.ledger import operations as ledger
from northing.ledger.models import Account, DocumentKind
from northing.ledger.operations import Draft, open_entry, post
from northing.ledger.queries import posting_note
from northing.shipping import operations as shipping
from northing.shipping.models import ShipmentLine

ONE = Decimal(1)


@dataclass(frozen=True)
class PayOfficeRequest:
    """All that is open with the office of a customs entry (its id) for its goods is settled on a day."""

    customs_entry: int
    day: date


@dataclass(frozen=True)
class ReleaseRequest:
    """Customs releases the goods of an entry (its id)."""

    customs_entry: int
    day: date


@once
def pay_office(act: Act, request: PayOfficeRequest) -> int:
    """Pay what the entry and those before it still owe; what was paid too much comes back. Returns the payment's id."""
    of = CustomsEntry.objects.select_related("company", "office", "entered_by").get(pk=request.customs_entry)
    act.require("pay", of.company_id)
    shipments = lock_goods([of])
    owed = owed_on(settled_with([of.pk])[of.pk])
    total = sum(owed.values(), Decimal(0))
    refuse_if(_pay_problems(act, request, of, total))
    currency = of.company.currency
    words = "Paid" if total > 0 else "Got back from"
    text = f"{words} {of.office} {currency} {money(abs(total), currency)} for {of.number}"
    text += posting_note([of.company_id], request.day)
    history = add_history(act, "pay_office", text, links_of(of), request.day)
    book = open_entry(act, history, text, request.day)
    bank = Draft(of.company_id, Account.BANK, -total, -total, currency, ONE)
    post(book, [bank, *(_settled(of, document, amount) for document, amount in owed.items())])
    made = OfficePayment(
        company=of.company,
        office=of.office,
        day=request.day,
        amount=total,
        paid_by=act.person,
        at=act.at,
        entry=book,
    )
    parts = [OfficePaymentPart(customs_entry_id=document, amount=amount) for document, amount in owed.items()]
    operations.write_office_payment(made, parts)
    bring_along(shipments=shipments)
    return made.pk


def _settled(of: CustomsEntry, document: int, amount: Decimal) -> Draft:
    return Draft(
        of.company_id,
        Account.CUSTOMS_PAYABLE,
        amount,
        amount,
        of.company.currency,
        ONE,
        party=of.office_id,
        document_kind=DocumentKind.CUSTOMS_ENTRY,
        document=document,
    )


def _pay_problems(act: Act, request: PayOfficeRequest, of: CustomsEntry, total: Decimal) -> list[Problem]:
    found = future_problem(request.day, act, "day")
    if not total:
        found.append(Problem(f"Nothing is open with {of.office} for these goods.", mend="Reload the page."))
    most, currency = of.company.payment_approval_above, of.company.currency
    if most is not None and abs(total) > most and act.person.pk == of.entered_by_id:
        what = f"More than {currency} {money(most, currency)} is not paid by who booked the entry."
        found.append(Problem(what, mend="A second person pays it."))
    return found


@once
def reverse_office_payment(act: Act, request: ReverseRequest) -> int:
    """It was not paid after all. Returns its id."""
    paid = OfficePayment.objects.select_related("company", "entry", "office").get(pk=request.record)
    act.require("pay", paid.company_id)
    of = entries_of(paid)
    shipments = lock_goods(of)
    paid.refresh_from_db(fields=["reversed_by"])
    refuse_reversal("payment", paid.reversed_by_id, request.reason)
    if Release.objects.filter(customs_entry__in=of, withdrawn_at=None).exists():
        refuse_if([Problem("Customs released the goods on it.", mend="Withdraw the release first.")])
    numbers = ", ".join(one.number for one in of)
    text = f"Reversed the payment to {paid.office} for {numbers}: {request.reason.strip()}"
    text += posting_note([paid.company_id], act.today)
    links = list(dict.fromkeys(link for one in of for link in links_of(one)))
    history = add_history(act, "reverse_office_payment", text, links, act.today)
    book = open_entry(act, history, text, act.today, reverses=paid.entry)
    ledger.mirror(book, paid.entry, [])
    operations.mark_undone(paid, book)
    bring_along(shipments=shipments)
    return paid.pk


@once
def release(act: Act, request: ReleaseRequest) -> int:
    """Customs released the goods: they may be received. Returns the release's id."""
    entry = CustomsEntry.objects.select_related("company", "office").get(pk=request.customs_entry)
    act.require("book_customs_entry", entry.company_id)
    shipments = lock_goods([entry])
    entry.refresh_from_db(fields=["reversed_by"])
    refuse_if(_release_problems(act, request, entry))
    text = f"Customs released the goods of {entry.number}"
    add_history(act, "release_goods", text, links_of(entry), act.today)
    made = Release(customs_entry=entry, company=entry.company, day=request.day, said_by=act.person, at=act.at)
    operations.write_release(made)
    bring_along(shipments=shipments)
    return made.pk


def lock_goods(entries: Sequence[CustomsEntry]) -> list[int]:
    """Lock the shipments of entries, then the entries and those settled with them; returns the shipments (ids)."""
    found = sorted({shipment.pk for one in entries for shipment in one.shipments.all()})
    shipping.lock(found)
    keys = {key for same in settled_with([one.pk for one in entries]).values() for key in same}
    list(CustomsEntry.objects.select_for_update().filter(pk__in=keys).order_by("pk"))
    return found


def links_of(entry: CustomsEntry, with_lines: bool = False) -> list[Link]:
    """The records that show the history of an entry: its shipments; its order lines too, where it is of no shipment."""
    shipments = entry.shipments.order_by("pk").values_list("pk", flat=True)
    links: list[Link] = [("shipment", key, entry.company_id) for key in shipments]
    if with_lines or not links:
        lines = entry.lines.order_by("pk").values_list("shipment_line__instalment__line", flat=True)
        links += [("line", line, entry.company_id) for line in dict.fromkeys(lines)]
    return links


def entries_of(paid: OfficePayment) -> list[CustomsEntry]:
    """The entries that a payment settled."""
    return list(CustomsEntry.objects.filter(payments__payment=paid).prefetch_related("shipments").order_by("pk"))


def _release_problems(act: Act, request: ReleaseRequest, entry: CustomsEntry) -> list[Problem]:
    found = future_problem(request.day, act, "day")
    if entry.reversed_by_id:
        return [*found, Problem("The entry does not stand any more.", mend="Book the customs entry first.")]
    if request.day < entry.day:
        found.append(Problem("They were not declared by then.", "day", f"The entry is of {entry.day:%-d %b %Y}."))
    owed = owed_on(settled_with([entry.pk])[entry.pk])
    if sum(owed.values(), Decimal(0)) > 0:
        found.append(Problem(f"{entry.office} is not paid yet.", mend="Pay the office first."))
    if not ShipmentLine.objects.filter(~is_released(), customs_lines__entry=entry).exists():
        found.append(Problem("They are released already."))
    return found


@once
def withdraw_release(act: Act, request: ReverseRequest) -> int:
    """They were not released after all. Returns its id."""
    said = Release.objects.select_for_update(of=("self",)).select_related("customs_entry").get(pk=request.record)
    act.require("book_customs_entry", said.company_id)
    if said.withdrawn_at or not request.reason.strip():
        wrong = "This release was withdrawn already." if said.withdrawn_at else "Say why."
        raise Refused(Problem(wrong, "reason"))
    text = f"Customs did not release the goods of {said.customs_entry.number}: {request.reason.strip()}"
    add_history(act, "withdraw_release", text, links_of(said.customs_entry), act.today)
    operations.withdraw(said, act.at)
    bring_along(shipments=said.customs_entry.shipments.values_list("pk", flat=True))
    return said.pk
