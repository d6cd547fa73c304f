"""After the entry: what the office asked for is paid to it, then it releases the goods."""

from dataclasses import dataclass
from datetime import date
from decimal import Decimal

from northing.access.acts import Act, future_problem
from northing.actions.reversal import ReverseRequest, refuse_reversal
from northing.actions.worklist.refresh import bring_along
from northing.activity.models import HistoryEntry
from northing.activity.operations import add_history, once
from northing.core.problems import Problem, Refused, refuse_if
from northing.customs import operations
from northing.customs.models import CustomsEntry, OfficePayment, OfficePaymentPart, Release
from northing.customs.queries import owed_to_offices, released_on, standing_entry
from northing.drawings.figures import money
from northing.ledger import operations as ledger
from northing.ledger.models import Account, DocumentKind
from northing.ledger.operations import Draft, open_entry, post
from northing.ledger.queries import posting_note
from northing.masterdata.models import Company
from northing.shipping import operations as shipping

ONE = Decimal(1)


@dataclass(frozen=True)
class PayOfficeRequest:
    """All that is open with the office of a customs entry (its id) for that shipment is settled on a day."""

    customs_entry: int
    day: date


@dataclass(frozen=True)
class ReleaseRequest:
    """Customs releases a company's goods of a shipment (ids)."""

    shipment: int
    company: int
    day: date


@once
def pay_office(act: Act, request: PayOfficeRequest) -> int:
    """Pay what the entry and those before it still owe; what was paid too much comes back. Returns the payment's id."""
    of = CustomsEntry.objects.select_related("company", "office", "entered_by").get(pk=request.customs_entry)
    act.require("pay", of.company_id)
    shipment = shipping.lock([of.shipment_id])[of.shipment_id]
    owed = owed_to_offices([shipment.pk]).get((shipment.pk, of.company_id, of.office_id), {})
    total = sum(owed.values(), Decimal(0))
    refuse_if(_pay_problems(act, request, of, total))
    currency = of.company.currency
    words = "Paid" if total > 0 else "Got back from"
    text = f"{words} {of.office} {currency} {money(abs(total), currency)} for {shipment}"
    text += posting_note([of.company_id], request.day)
    history = add_history(act, "pay_office", text, [("shipment", shipment.pk, of.company_id)], request.day)
    book = open_entry(act, history, text, request.day)
    bank = Draft(of.company_id, Account.BANK, -total, -total, currency, ONE)
    post(book, [bank, *(_settled(of, document, amount) for document, amount in owed.items())])
    made = OfficePayment(
        shipment=shipment,
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
    bring_along(shipments=[shipment.pk])
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
        found.append(Problem(f"Nothing is open with {of.office} for this shipment.", mend="Reload the page."))
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
    shipment = shipping.lock([paid.shipment_id])[paid.shipment_id]
    paid.refresh_from_db(fields=["reversed_by"])
    refuse_reversal("payment", paid.reversed_by_id, request.reason)
    if released_on(shipment.pk, paid.company_id):
        refuse_if([Problem("Customs released the goods on it.", mend="Withdraw the release first.")])
    text = f"Reversed the payment to {paid.office} for {shipment}: {request.reason.strip()}"
    text += posting_note([paid.company_id], act.today)
    history = add_history(act, "reverse_office_payment", text, [("shipment", shipment.pk, paid.company_id)], act.today)
    book = open_entry(act, history, text, act.today, reverses=paid.entry)
    ledger.mirror(book, paid.entry, [])
    operations.mark_undone(paid, book)
    bring_along(shipments=[shipment.pk])
    return paid.pk


@once
def release(act: Act, request: ReleaseRequest) -> int:
    """Customs released the goods: they may be received. Returns the release's id."""
    company = Company.objects.get(pk=request.company)
    act.require("book_customs_entry", company.pk)
    shipment = shipping.lock([request.shipment])[request.shipment]
    refuse_if(_release_problems(act, request, company))
    _told(act, request.shipment, company, f"Customs released the goods of {company} in {shipment}", "release_goods")
    made = Release(shipment=shipment, company=company, day=request.day, said_by=act.person, at=act.at)
    operations.write_fact(made)
    bring_along(shipments=[shipment.pk])
    return made.pk


def _told(act: Act, shipment: int, company: Company, text: str, action: str) -> HistoryEntry:
    return add_history(act, action, text, [("shipment", shipment, company.pk)], act.today)


def _release_problems(act: Act, request: ReleaseRequest, company: Company) -> list[Problem]:
    found = future_problem(request.day, act, "day")
    entry = standing_entry(request.shipment, company.pk)
    if entry is None:
        return [*found, Problem("Nothing is declared yet.", mend="Book the customs entry first.")]
    if request.day < entry.day:
        found.append(Problem("They were not declared by then.", "day", f"The entry is of {entry.day:%-d %b %Y}."))
    owed = owed_to_offices([request.shipment]).get((request.shipment, company.pk, entry.office_id), {})
    if sum(owed.values(), Decimal(0)) > 0:
        found.append(Problem(f"{entry.office} is not paid yet.", mend="Pay the office first."))
    if released_on(request.shipment, company.pk):
        found.append(Problem("They are released already."))
    return found


@once
def withdraw_release(act: Act, request: ReverseRequest) -> int:
    """They were not released after all. Returns its id."""
    said = Release.objects.select_for_update(of=("self",)).select_related("company", "shipment").get(pk=request.record)
    act.require("book_customs_entry", said.company_id)
    if said.withdrawn_at or not request.reason.strip():
        wrong = "This release was withdrawn already." if said.withdrawn_at else "Say why."
        raise Refused(Problem(wrong, "reason"))
    text = f"Customs did not release the goods of {said.company} in {said.shipment}: {request.reason.strip()}"
    _told(act, said.shipment_id, said.company, text, "withdraw_release")
    operations.withdraw(said, act.at)
    bring_along(shipments=[said.shipment_id])
    return said.pk
