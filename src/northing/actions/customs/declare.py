"""A declaration to a customs office: values, duty and import tax of goods of a company."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import date
from decimal import Decimal
from functools import partial

from northing.actions.costing import ownership
from northing.actions.customs.included import Included, lines_included
from northing.core.costing import landed_cost
from northing.core.costing.customs import DUTY, FREIGHT, INSURANCE, Customs, Group
from northing.core.costing.tariff import Applied, words_of
from northing.core.costing.their_figures import Theirs, with_theirs
from northing.core.money.exact import plain, shifted
from northing.core.money.money import MINOR_UNITS
from northing.core.problems import Problem, Refused, refuse_if
from northing.costing.models import Charge
from northing.costing.queries import shares_of
from northing.customs import operations
from northing.customs.lines import customs_line
from northing.customs.queries import Proofs
from northing.masterdata.models import Company
from northing.masterdata.queries import Rates
from northing.masterdata.tariffs import Tariff, customs_of, duty_of, duty_words, reasons, unmeasured
from northing.shipping.models import ShipmentLine

ZERO = Decimal(0)
NO_RATES: Mapping[str, Decimal] = {}
MOST_RATE = 1_000_000
OFFICES = (Charge.Kind.DUTY, Charge.Kind.IMPORT_TAX)


@dataclass(frozen=True)
class Declared:
    """A declaration before it is made: the sheet of the core beside the shipment lines it is about.

    `rules` are the tariff's for each line; `saved` is how much less would be owed if the proofs were there that
    preferences miss.
    """

    sheet: landed_cost.CostSheet
    shipment_lines: list[ShipmentLine]
    company: Company
    rules: list[Applied]
    saved: Decimal = ZERO
    # As we reckon it, where `sheet` is the office's.
    ours: landed_cost.CostSheet | None = None

    @property
    def differs(self) -> bool:
        """Whether the office asks for something else than we reckon."""
        return self.ours is not None and (self.ours.duty, self.ours.tax) != (self.sheet.duty, self.sheet.tax)

    def by_them(self, theirs: Theirs) -> "Declared":
        """The same with the office's figures."""
        quantities = [part.quantity for part in self.shipment_lines]
        reclaimed = self.company.import_tax_reclaimed
        made = with_theirs(self.sheet, theirs, quantities, reclaimed, self.company.currency)
        return replace(self, sheet=made, ours=self.sheet)

    @property
    def kept(self) -> Decimal:
        """Import tax that is not reclaimed: it is a cost of the goods."""
        return self.sheet.tax - self.sheet.reclaimed

    @property
    def tax_words(self) -> str:
        """The rates of import tax that count for its goods, in words."""
        usual = self.company.import_tax_rate
        rates = dict.fromkeys(found.tax.expression.ad_valorem if found.tax else usual for found in self.rules)
        return ", ".join(f"{plain(shifted(rate, 2))} %" for rate in rates)

    @property
    def missing_proofs(self) -> list[str]:
        """The papers that preferences miss."""
        return sorted({found.missed.proof for found in self.rules if found.missed})

    def rows(self) -> list[tuple[ShipmentLine, landed_cost.LineCost, Applied]]:
        """Shipment lines beside their costs and the rules of the tariff."""
        return list(zip(self.shipment_lines, self.sheet.lines, self.rules, strict=True))

    def told(self) -> list[tuple[ShipmentLine, landed_cost.LineCost, str, list[str]]]:
        """Shipment lines beside their costs, the duty in words, and why it is that."""
        return [
            (part, cost, duty_words(part.instalment.line.item, found), reasons(part.instalment.line.item, found))
            for part, cost, found in self.rows()
        ]

    def groups(self) -> list[tuple[Group, str, int]]:
        """The entry by group: its sums, the duty in words, and how many lines it has."""
        found = []
        for group in self.sheet.groups:
            part, rules = self.shipment_lines[group.lines[0]], self.rules[group.lines[0]]
            found.append((group, words_of(duty_of(part.instalment.line.item, rules)), len(group.lines)))
        return found


def declare(
    parts: list[ShipmentLine],
    company: Company,
    day: date,
    included: Sequence[Included] = (),
    own_rates: Mapping[str, Decimal] = NO_RATES,
) -> Declared:
    """Customs value, duty and import tax of a company's goods at the day's customs rates and tariff.

    `included` says what of prices is freight and insurance that the country deducts, `own_rates` the office's rates by
    currency. Raises Refused.
    """
    _refuse_rates(own_rates, company)
    rates = Rates(day, "customs", said=own_rates)
    tariff = Tariff(company.country, day, partial(rates.of, company))
    proofs = Proofs(parts, day)
    rules = [
        tariff.of(part.instalment.line.item, part.instalment.line.order.supplier_id, proofs.of(part)) for part in parts
    ]
    _refuse_unmeasured(parts, rules)
    how, kinds = customs_of(company.country)
    tax = landed_cost.ImportTax(company.import_tax_rate, tuple(company.import_tax_base), company.import_tax_reclaimed)
    charges = _charges(parts, company, rates, tax, how, kinds)
    amounts = [ownership.goods_amount(part, part.quantity) for part in parts]
    customs_rates = [rates.of(company, part.instalment.line.order.currency) for part in parts]

    inside = lines_included(parts, amounts, included, company.country)

    def sheet(found: Sequence[Applied]) -> landed_cost.CostSheet:
        lines = [
            customs_line(str(part.pk), part.instalment.line, part.quantity, amount, rate, one, less)
            for part, amount, rate, one, less in zip(parts, amounts, customs_rates, found, inside, strict=True)
        ]
        try:
            return landed_cost.cost_sheet(lines, charges, tax, company.currency, how)
        except landed_cost.ValueBelowZero as below:
            raise Refused(_below_zero(parts, str(below))) from None

    made = sheet(rules)
    saved = ZERO
    if any(one.missed for one in rules):
        proved = sheet([_proved(part, one) for part, one in zip(parts, rules, strict=True)])
        saved = made.duty + made.tax - made.reclaimed - (proved.duty + proved.tax - proved.reclaimed)
    return Declared(made, parts, company, rules, saved)


def _refuse_rates(rates: Mapping[str, Decimal], company: Company) -> None:
    """Stop at a rate that cannot be one. Raises Refused."""
    found = []
    for currency, rate in rates.items():
        if currency not in MINOR_UNITS or currency == company.currency:
            found.append(Problem(f"{currency} needs no customs rate here.", rate_field(currency)))
        elif not 0 < rate < MOST_RATE or rate != round(rate, 10):
            found.append(Problem("A rate is above 0 and has at most ten decimals.", rate_field(currency)))
    refuse_if(found)


def rate_field(currency: str) -> str:
    """The name under which the office's rate is asked for and refused."""
    return f"rate-{currency}"


def _below_zero(parts: Sequence[ShipmentLine], key: str) -> Problem:
    part = next(part for part in parts if str(part.pk) == key)
    what = f"The customs value of {part.instalment.line.item.code} would be below 0."
    return Problem(what, "number", "Look at what its price includes, and at credits that belong to the value.")


def _refuse_unmeasured(parts: Sequence[ShipmentLine], rules: Sequence[Applied]) -> None:
    """Stop where a duty goes by a unit that an item does not keep. Raises Refused."""
    found = {}
    for part, one in zip(parts, rules, strict=True):
        item = part.instalment.line.item
        for unit in unmeasured(item, one):
            words = f"{item.code} has a duty per {unit}, and it does not say how many {unit} are in one."
            found[words] = Problem(words, "number", "Enter that in the item, as its other unit of duties.")
    refuse_if(list(found.values()))


def _proved(part: ShipmentLine, found: Applied) -> Applied:
    """What would apply with the missing proof, as far as it can be reckoned."""
    proved = found.with_proof()
    return found if unmeasured(part.instalment.line.item, proved) else proved


def _charges(
    parts: Sequence[ShipmentLine],
    company: Company,
    rates: Rates,
    tax: landed_cost.ImportTax,
    how: Customs,
    kinds: Sequence[str],
) -> list[landed_cost.Charge]:
    """The company's parts of the charges that customs counts, in its value or by its tax, weighed by their shares."""
    place = {part.pk: index for index, part in enumerate(parts)}
    by_charge: dict[int, dict[int, Decimal]] = {}
    for (charge, part), amount in shares_of(parts).items():
        by_charge.setdefault(charge, {})[place[part]] = amount
    counted = {*tax.base, *((FREIGHT, INSURANCE) if how.basis == "cif" else ()), *kinds}
    charges = (
        Charge.objects.filter(pk__in=by_charge, kind__in=counted).exclude(kind__in=OFFICES).order_by("pk").in_bulk()
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
                in_customs_value=True if charge.kind in kinds else None,
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
    for part, cost, rules in declared.rows():
        item = part.instalment.line.item
        duty = duty_of(item, rules)
        extra = {name: str(amount) for name, amount in cost.duties.items() if name != DUTY}
        said = (item.hs_code, item.origin, cost.customs_value, duty.ad_valorem, words_of(duty), cost.duty, extra)
        lines.append(operations.DeclaredLine(part.pk, *said))
    value = sum((cost.customs_value for cost in declared.sheet.lines), ZERO)
    return operations.Declaration(value, declared.sheet.duty, declared.sheet.tax_base, declared.sheet.tax, tuple(lines))
