"""A declaration to a customs office: values, duty and import tax of a company's goods in a shipment."""

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date
from decimal import Decimal

from northing.actions.costing import ownership
from northing.actions.costing.scope import aboard
from northing.core.costing import landed_cost
from northing.core.costing.customs import Expression
from northing.core.problems import Problem, Refused
from northing.costing.models import Charge
from northing.costing.queries import shares_of
from northing.customs import operations
from northing.masterdata.models import Company
from northing.masterdata.queries import Rates
from northing.shipping.models import ShipmentLine

ZERO = Decimal(0)
OFFICES = (Charge.Kind.DUTY, Charge.Kind.IMPORT_TAX)


@dataclass(frozen=True)
class Declared:
    """A declaration before it is made: the sheet of the core beside the shipment lines it is about."""

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
    parts = [part for part in aboard([shipment]) if part.instalment.line.order.company_id == company.pk]
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
        duty=Expression(line.item.duty_rate),
    )


def _tax_charges(
    parts: Sequence[ShipmentLine], company: Company, rates: Rates, tax: landed_cost.ImportTax
) -> list[landed_cost.Charge]:
    """The company's parts of the charges that the tax base names, weighed by their shares."""
    place = {part.pk: index for index, part in enumerate(parts)}
    by_charge: dict[int, dict[int, Decimal]] = {}
    for (charge, part), amount in shares_of(parts).items():
        by_charge.setdefault(charge, {})[place[part]] = amount
    charges = (
        Charge.objects.filter(pk__in=by_charge, kind__in=tax.base).exclude(kind__in=OFFICES).order_by("pk").in_bulk()
    )
    found = []
    for key, charge in charges.items():
        scope = sorted(by_charge[key])
        found.append(
            landed_cost.Charge(
                id=str(key),
                kind=charge.kind,
                amount=_aboard_part(charge, company, sum(by_charge[key].values(), ZERO)),
                book_rate=Decimal(1),
                scope=scope,
                by_hand=[abs(by_charge[key][index]) for index in scope],
                customs_rate=rates.of(company, charge.currency),
            )
        )
    return found


def _aboard_part(charge: Charge, company: Company, inside: Decimal) -> Decimal:
    """The part of a charge, in its currency, that the company's goods of this shipment bear (`inside`, in base)."""
    part = charge.parts.get(company=company)
    if inside == part.base_amount:
        return part.amount
    weights = landed_cost.whole_weights([abs(inside), abs(part.base_amount - inside)])
    return landed_cost.spread_amount(part.amount, weights, charge.currency)[0]


def declaration(declared: Declared) -> operations.Declaration:
    """As it is written down."""
    lines = []
    for part, cost in declared.rows():
        item = part.instalment.line.item
        lines.append(
            operations.DeclaredLine(part.pk, item.hs_code, item.origin, cost.customs_value, item.duty_rate, cost.duty)
        )
    value = sum((cost.customs_value for cost in declared.sheet.lines), ZERO)
    return operations.Declaration(value, declared.sheet.duty, declared.sheet.tax_base, declared.sheet.tax, tuple(lines))
