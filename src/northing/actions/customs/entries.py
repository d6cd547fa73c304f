"""Clear: a company's customs entry over its goods, with its duty and import tax; its correction and its reversal."""

from dataclasses import dataclass
from datetime import date
from decimal import Decimal

from django.db.models import QuerySet

from northing.access.acts import Act, future_problem
from northing.actions.costing import absorb, accruals
from northing.actions.costing.charges import only_billed
from northing.actions.customs.covers import Covers, lock_covered, mark_of, shipments_of
from northing.actions.customs.declare import Declared, declaration, declare
from northing.actions.customs.included import Included
from northing.actions.customs.office import links_of, lock_goods
from northing.actions.reversal import ReverseRequest, refuse_reversal
from northing.actions.worklist.receipts import receipts_of
from northing.actions.worklist.refresh import bring_along
from northing.activity.operations import CONSTRAINTS, Link, add_history, once
from northing.core.costing.their_figures import Theirs, groups_of
from northing.core.money.exact import plain
from northing.core.money.money import is_whole
from northing.core.problems import Problem, Refused, refuse_if
from northing.costing import operations as costing
from northing.costing.models import Charge
from northing.customs import operations
from northing.customs.models import CustomsEntry
from northing.drawings.figures import money
from northing.ledger.models import Account, DocumentKind, Entry
from northing.ledger.operations import Draft, open_entry, post
from northing.ledger.queries import posting_note
from northing.masterdata.models import Company
from northing.shipping.models import ShipmentLine

ZERO, MOST = Decimal(0), Decimal(999_999_999_999)
NO_MORE = Problem("The entry to be corrected does not stand any more.", mend="Reload the page.")


@dataclass(frozen=True)
class EntryRequest:
    """A customs entry of one company; `corrects` is the entry (id) whose place it takes.

    `shown` is the mark of the goods as they were shown; empty: whatever is covered.
    `included` is what of the prices is freight and insurance, where the country deducts it.
    `rates` are the office's own, by currency, where the day's are not to count.
    `their_duty` is what the office asks for the groups of the entry, in their order (for all of it, where duty is by
    line), `their_tax` its import tax; None: as we reckon. `reason` says why that is not what we reckon.
    """

    covers: Covers
    company: int
    office: int
    number: str
    day: date
    corrects: int | None = None
    their_duty: tuple[Decimal | None, ...] = ()
    their_tax: Decimal | None = None
    reason: str = ""
    shown: str = ""
    included: tuple[Included, ...] = ()
    rates: tuple[tuple[str, Decimal], ...] = ()


@once
def book_customs_entry(act: Act, request: EntryRequest) -> int:
    """Book the entry: duty into the goods, import tax to reclaim and what is not into the goods, owed to the office.

    Returns its id.
    """
    company = Company.objects.get(pk=request.company)
    act.require("book_customs_entry", company.pk)
    _refuse_before(request)
    parts = lock_covered(request.covers, company, request.corrects)
    refuse_if(_entry_problems(act, request, parts))
    old = _corrected(request)
    declared = _by_them(request, declare(parts, company, request.day, request.included, dict(request.rates)))
    sheet = declared.sheet
    text = f"Customs entry {request.number}: duty {company.currency} {money(sheet.duty, company.currency)}"
    text += f", import tax {money(sheet.tax, company.currency)}"
    if declared.differs and declared.ours:
        ours = f"{money(declared.ours.duty, company.currency)} and {money(declared.ours.tax, company.currency)}"
        text += f" (we reckon {ours}: {request.reason.strip()})"
    for currency, rate in request.rates:
        text += f", {currency} at {plain(rate)} as the office says"
    if old is not None:
        text += f", in place of {old.number}"
    text += posting_note([company.pk], request.day)
    history = add_history(act, "book_customs_entry", text, _links(company.pk, parts), request.day)
    book = open_entry(act, history, text, request.day, reverses=old.entry if old else None)
    if old is not None:
        _undo(book, old)
    duty, drafts = _customs_charge(request, declared, book, "duty", sheet.duty, {c.id: c.duty for c in sheet.lines})
    of_tax = {cost.id: cost.import_tax for cost in sheet.lines}
    kept, more = _customs_charge(request, declared, book, "import_tax", sheet.tax - sheet.reclaimed, of_tax)
    made = CustomsEntry(
        company=company,
        office_id=request.office,
        number=request.number.strip(),
        day=request.day,
        duty_charge=duty,
        kept_charge=kept,
        corrects=old,
        our_duty=declared.ours.duty if declared.ours else None,
        our_tax=declared.ours.tax if declared.ours else None,
        reason=request.reason.strip() if declared.differs else "",
        rates={currency: plain(rate) for currency, rate in request.rates},
        included=[one.kept for one in request.included if one.by_kind],
        entered_by=act.person,
        at=act.at,
        entry=book,
    )
    operations.write_entry(made, declaration(declared), shipments_of(parts))
    post(book, drafts + more + _owed(made, 1))
    was = [line.shipment_line for line in old.lines.select_related("shipment_line")] if old else []
    bring_along(shipments=[*shipments_of(parts), *_shipments(old)], receipts=receipts_of([*parts, *was]))
    return made.pk


def _by_them(request: EntryRequest, declared: Declared) -> Declared:
    """The declaration as the office reckons it. Raises Refused."""
    duty = {place: asked for place, asked in enumerate(request.their_duty) if asked is not None}
    if not duty and request.their_tax is None:
        return declared
    groups, currency = groups_of(declared.sheet), declared.company.currency
    found = [
        Problem("The entry has other groups by now.", f"their-{place}", "Reload the page.")
        for place in duty
        if place >= len(groups)
    ]
    for where, amount in [
        *((f"their-{place}", amount) for place, amount in duty.items()),
        ("their_tax", request.their_tax),
    ]:
        if amount is not None and (amount < 0 or amount > MOST or not is_whole(amount, currency)):
            found.append(Problem(f"This is no amount in {currency}.", where, "Enter it as the office wrote it."))
    refuse_if(found)
    made = declared.by_them(Theirs(duty, request.their_tax))
    if made.differs and not request.reason.strip():
        refuse_if([Problem("Say why it is not what we reckon.", "reason", "Another rate, another value?")])
    if len(request.reason) > 120:
        refuse_if([Problem("The reason is longer than 120 signs.", "reason")])
    return made


def _links(company: int, parts: list[ShipmentLine]) -> list[Link]:
    lines = dict.fromkeys(part.instalment.line_id for part in parts)
    return [
        *(("shipment", shipment, company) for shipment in shipments_of(parts)),
        *(("line", line, company) for line in lines),
    ]


def _shipments(entry: CustomsEntry | None) -> list[int]:
    return list(entry.shipments.order_by("pk").values_list("pk", flat=True)) if entry else []


def _entry_problems(act: Act, request: EntryRequest, parts: list[ShipmentLine]) -> list[Problem]:
    found = future_problem(request.day, act, "day")
    if not request.number.strip():
        found.append(Problem("The entry has a number.", "number", "Enter it as the customs office gave it."))
    ashore = {part.container.shipment for part in parts if part.container and not part.container.shipment.departed_on}
    for shipment in sorted(ashore, key=str):
        what = f"{shipment} has not departed; what is aboard may still change."
        found.append(Problem(what, "number", "Record the departure first."))
    if request.shown and request.shown != mark_of(parts):
        found.append(Problem("The goods are others by now than those that were shown.", "number", "Reload the page."))
    return found


def _corrected(request: EntryRequest) -> CustomsEntry | None:
    """The entry whose place this one takes, as long as it stands. Raises Refused."""
    if request.corrects is None:
        return None
    related = ("entry", "company", "duty_charge", "kept_charge")
    old = _standing(request).select_for_update(of=("self",)).select_related(*related).first()
    if old is None:
        raise Refused(NO_MORE)
    return old


def _refuse_before(request: EntryRequest) -> None:
    """Stop before goods are read and locked, where it is plain already. Raises Refused."""
    if request.corrects and not _standing(request).exists():
        raise Refused(NO_MORE)
    used = CustomsEntry.objects.filter(office=request.office, number=request.number.strip(), reversed_by=None)
    if used.exclude(pk=request.corrects).exists():
        raise Refused(CONSTRAINTS["entry_number_once"])


def _standing(request: EntryRequest) -> QuerySet[CustomsEntry]:
    return CustomsEntry.objects.filter(pk=request.corrects, company=request.company, reversed_by=None)


def _owed(made: CustomsEntry, sign: int) -> list[Draft]:
    """Import tax to reclaim, and what the office is owed; with sign -1 no more."""
    kept = made.kept_charge.billed if made.kept_charge else ZERO
    owed = -sign * (made.duty + made.tax)
    return [
        Draft(made.company_id, Account.IMPORT_TAX, sign * (made.tax - kept)),
        Draft(
            made.company_id,
            Account.CUSTOMS_PAYABLE,
            owed,
            owed,
            made.company.currency,
            Decimal(1),
            party=made.office_id,
            document_kind=DocumentKind.CUSTOMS_ENTRY,
            document=made.pk,
        ),
    ]


def _undo(book: Entry, old: CustomsEntry) -> None:
    """Take the entry's duty out of the goods as a late cost; nothing is owed to the office by it."""
    drafts = _owed(old, -1)
    charges = [charge for charge in (old.duty_charge, old.kept_charge) if charge]
    for charge in charges:
        company = old.company_id
        drafts.append(accruals.billed(charge, company, -charge.billed, -charge.billed, Decimal(1)))
        charge.billed = ZERO
        costing.bill(charge, charge.closed_on)
        costing.bear_nothing(charge)
        drafts += absorb.write(book, only_billed(charge))
    post(book, drafts)
    accruals.true_up(book, [charge.pk for charge in charges])
    operations.mark_undone(old, book)


@once
def reverse_customs_entry(act: Act, request: ReverseRequest) -> int:
    """Undo a customs entry by counter-entries. Returns its id."""
    found = CustomsEntry.objects.select_related("company", "entry", "duty_charge", "kept_charge")
    entry = found.get(pk=request.record)
    act.require("book_customs_entry", entry.company_id)
    shipments = lock_goods([entry])
    entry.refresh_from_db(fields=["reversed_by"])
    refuse_reversal("customs entry", entry.reversed_by_id, request.reason)
    text = f"Reversed customs entry {entry.number}: {request.reason.strip()}"
    text += posting_note([entry.company_id], act.today)
    links = links_of(entry, with_lines=True)
    history = add_history(act, "reverse_customs_entry", text, links, act.today)
    _undo(open_entry(act, history, text, act.today, reverses=entry.entry), entry)
    goods = ShipmentLine.objects.filter(customs_lines__entry=entry)
    bring_along(shipments=shipments, receipts=receipts_of(goods))
    return entry.pk


def _customs_charge(
    request: EntryRequest, declared: Declared, book: Entry, kind: str, amount: Decimal, by_line: dict[str, Decimal]
) -> tuple[Charge | None, list[Draft]]:
    """Duty or tax as a charge whose shares are the office's own lines; returns it and its postings."""
    if not amount:
        return None, []
    company = declared.company
    charge = Charge(
        company=company,
        payee_id=request.office,
        kind=kind,
        basis=Charge.Basis.BY_HAND,
        currency=company.currency,
        billed=amount,
        billed_on=request.day,
        closed_on=request.day,
    )
    parts = declared.shipment_lines
    costing.write_charge(charge, shipments_of(parts), goods=[part.pk for part in parts if not part.container])
    shares = {(part.instalment.line_id, part.pk): by_line[str(part.pk)] for part in parts if by_line[str(part.pk)]}
    costing.write_spread(charge, [costing.PartDraft(company.pk, amount, amount, amount, amount, shares)])
    found = absorb.absorption({absorb.Bearer(*key): {charge.pk: share} for key, share in shares.items()})
    drafts = absorb.write(book, found)
    drafts.append(accruals.billed(charge, company.pk, amount, amount, Decimal(1)))
    return charge, drafts
