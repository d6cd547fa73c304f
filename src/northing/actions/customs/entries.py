"""Clear: a company's customs entry for a shipment, with its duty and import tax."""

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date
from decimal import Decimal

from northing.access.acts import Act, future_problem
from northing.actions.costing import absorb, accruals, ownership
from northing.actions.costing.charges import in_scope
from northing.actions.worklist.refresh import bring_along
from northing.activity.operations import add_history, once
from northing.core.costing import landed_cost
from northing.core.problems import Problem, Refused, refuse_if
from northing.costing import operations as costing
from northing.costing.models import Charge, ChargeShare
from northing.customs import operations
from northing.drawings.figures import money
from northing.ledger.models import Account, DocumentKind
from northing.ledger.operations import Draft, open_entry, post
from northing.ledger.queries import posting_note
from northing.masterdata.models import Company
from northing.masterdata.queries import Rates
from northing.shipping import operations as shipping
from northing.shipping.models import Shipment, ShipmentLine

ZERO = Decimal(0)


@dataclass(frozen=True)
class EntryRequest:
    """A customs entry of one company for one shipment."""

    shipment: int
    company: int
    office: int
    number: str
    day: date


@dataclass(frozen=True)
class Declared:
    """What we would declare: the sheet of the core beside the shipment lines it is about."""

    sheet: landed_cost.CostSheet
    shipment_lines: list[ShipmentLine]
    company: Company

    @property
    def kept(self) -> Decimal:
        """Import tax that is not reclaimed: it is a cost of the goods."""
        return self.sheet.tax - self.sheet.reclaimed

    def rows(self) -> list[tuple[ShipmentLine, landed_cost.LineCost]]:
        """Shipment lines beside their costs."""
        return list(zip(self.shipment_lines, self.sheet.lines, strict=True))


def declare(shipment: int, company: Company, day: date) -> Declared:
    """Customs value, duty and import tax of a company's goods in a shipment, at the day's customs rates."""
    parts = [part for part in in_scope([shipment], [], []) if part.instalment.line.order.company_id == company.pk]
    if not parts:
        raise Refused(Problem(f"{company} has no goods in this shipment.", "company"))
    rates = Rates(day, "customs")
    lines = [_core_line(part, company, rates) for part in parts]
    tax = landed_cost.ImportTax(company.import_tax_rate, tuple(company.import_tax_base), company.import_tax_reclaimed)
    return Declared(
        landed_cost.cost_sheet(lines, _tax_charges(parts, company, rates, tax), tax, company.currency), parts, company
    )


def _core_line(part: ShipmentLine, company: Company, rates: Rates) -> landed_cost.Line:
    line = part.instalment.line
    amount = ownership.goods_amount(part, part.quantity)
    return landed_cost.Line(
        id=str(part.pk),
        # One lot at its rounded amount, so that packs and discounts are rounded once.
        quantity=Decimal(1),
        unit_price=amount,
        currency=line.order.currency,
        book_rate=Decimal(1),
        customs_rate=rates.of(company, line.order.currency),
        duty_rate=line.item.duty_rate,
    )


def _tax_charges(
    parts: Sequence[ShipmentLine], company: Company, rates: Rates, tax: landed_cost.ImportTax
) -> list[landed_cost.Charge]:
    """The company's parts of the charges that the tax base names, weighed by their shares."""
    place = {part.pk: index for index, part in enumerate(parts)}
    shares = ChargeShare.objects.filter(shipment_line__in=list(place), charge__kind__in=tax.base).select_related(
        "charge"
    )
    by_charge: dict[int, dict[int, Decimal]] = {}
    charges = {}
    for share in shares:
        charges[share.charge_id] = share.charge
        by_charge.setdefault(share.charge_id, {})[place[share.shipment_line_id]] = share.amount
    found = []
    for key, charge in charges.items():
        scope = sorted(by_charge[key])
        amount = _aboard_part(charge, company, list(place))
        found.append(
            landed_cost.Charge(
                id=str(key),
                kind=charge.kind,
                amount=amount,
                book_rate=Decimal(1),
                scope=scope,
                by_hand=[abs(by_charge[key][index]) for index in scope],
                customs_rate=rates.of(company, charge.currency),
            )
        )
    return found


def _aboard_part(charge: Charge, company: Company, shipment_lines: Sequence[int]) -> Decimal:
    """The part of a charge, in its currency, that the company's goods of this shipment bear."""
    part = charge.parts.get(company=company)
    shares = dict(charge.shares.filter(company=company).values_list("shipment_line", "amount"))
    inside = sum((shares[key] for key in shipment_lines if key in shares), ZERO)
    if inside == part.base_amount:
        return part.amount
    outside = part.base_amount - inside
    weights = landed_cost.whole_weights([abs(inside), abs(outside)])
    return landed_cost.spread_amount(part.amount, weights, charge.currency)[0]


@once
def book_customs_entry(act: Act, request: EntryRequest) -> int:
    """Book the entry: duty into the goods, import tax to reclaim and what is not into the goods, owed to the office."""
    company = Company.objects.get(pk=request.company)
    act.require("book_customs_entry", company.pk)
    shipment = shipping.lock([request.shipment])[request.shipment]
    refuse_if(_entry_problems(act, request, shipment))
    declared = declare(request.shipment, company, request.day)
    sheet = declared.sheet
    text = f"Customs entry {request.number}: duty {company.currency} {money(sheet.duty, company.currency)}"
    text += f", import tax {money(sheet.tax, company.currency)}{posting_note([company.pk], request.day)}"
    lines = [("line", part.instalment.line_id, company.pk) for part in declared.shipment_lines]
    history = add_history(
        act, "book_customs_entry", text, [("shipment", request.shipment, company.pk), *lines], request.day
    )
    book = open_entry(act, history, text, request.day)
    duty, drafts = _customs_charge(request, declared, book, "duty", sheet.duty, {c.id: c.duty for c in sheet.lines})
    kept = {cost.id: cost.import_tax for cost in sheet.lines}
    drafts += _customs_charge(request, declared, book, "import_tax", sheet.tax - sheet.reclaimed, kept)[1]
    made = operations.write_entry(
        request.shipment, company.pk, request.office, request.number.strip(), request.day, _declaration(declared), duty
    )
    drafts.append(Draft(company.pk, Account.IMPORT_TAX, sheet.reclaimed))
    owed = -(sheet.duty + sheet.tax)
    drafts.append(
        Draft(
            company.pk,
            Account.CUSTOMS_PAYABLE,
            owed,
            owed,
            company.currency,
            Decimal(1),
            party=request.office,
            document_kind=DocumentKind.CUSTOMS_ENTRY,
            document=made.pk,
        )
    )
    post(book, drafts)
    bring_along(shipments=[request.shipment])
    return request.shipment


def _entry_problems(act: Act, request: EntryRequest, shipment: Shipment) -> list[Problem]:
    found = future_problem(request.day, act, "day")
    if not request.number.strip():
        found.append(Problem("The entry has a number.", "number", "Enter it as the customs office gave it."))
    if not shipment.departed_on:
        what = f"{shipment} has not departed; what is aboard may still change."
        found.append(Problem(what, "number", "Record the departure first."))
    return found


def _customs_charge(
    request: EntryRequest, declared: Declared, book, kind: str, amount: Decimal, by_line: dict[str, Decimal]
):
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
        bill_number=f"{request.number.strip()} {kind.replace('_', ' ')}",
    )
    costing.write_charge(charge, [request.shipment], [], [])
    shares = {int(key): share for key, share in by_line.items()}
    costing.write_spread(charge, [costing.PartDraft(company.pk, amount, Decimal(1), amount, shares)])
    found = absorb.absorption({key: {charge.pk: share} for key, share in shares.items()})
    drafts = absorb.write(book, found)
    part = charge.parts.select_related("charge", "company").get()
    drafts.append(accruals.Accrual(part, ZERO).draft(amount, amount)._replace(rate=Decimal(1)))
    return charge, drafts


def _declaration(declared: Declared) -> operations.Declaration:
    lines = []
    for part, cost in declared.rows():
        item = part.instalment.line.item
        lines.append(
            operations.DeclaredLine(part.pk, item.hs_code, item.origin, cost.customs_value, item.duty_rate, cost.duty)
        )
    value = sum((cost.customs_value for cost in declared.sheet.lines), ZERO)
    return operations.Declaration(value, declared.sheet.duty, declared.sheet.tax_base, declared.sheet.tax, tuple(lines))
