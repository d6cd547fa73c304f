"""Landed cost of a set of lines: goods, spread charges, duty, import tax.

The rules are numbered as in docs/landed-cost.md. All amounts are in base currency unless said
otherwise, whole in its minor unit; every rounding is half up, away from zero.
"""

from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass, field
from decimal import Decimal

from northing.core.costing.customs import (
    FREIGHT,
    INCLUDES,
    INSURANCE,
    USUAL_RULE,
    Customs,
    Declared,
    Expression,
    Group,
    duties_of,
    rounded_by,
)
from northing.core.money.exact import divide, exactly, round_to, times
from northing.core.money.money import all_from_minor, converted, from_minor, rounded, to_minor
from northing.core.money.spread import NothingToSpreadOver, spread, whole_weights

BASES = ("value", "weight", "volume", "quantity", "equal")
KINDS = (
    "freight",
    "insurance",
    "haulage",
    "brokerage",
    "handling",
    "storage",
    "inspection",
    "surcharge",
    "discount",
    "rounding",
    "other",
)
CUSTOMS_VALUE, DUTY = "customs_value", "duty"
ZERO, ONE = Decimal(0), Decimal(1)
FREE = Expression()
PRICE_ALONE = Customs()


@dataclass(frozen=True, slots=True)
class Line:
    """Goods to be costed. Rates turn its currency into base currency.

    `included` is what the price includes of freight and insurance, in its currency. Without a net weight the weight
    counts for duties. An `amount` that is given is that of the line, whatever quantity x price would be. A `tax_rate`
    that is given counts instead of that of the import tax.
    """

    id: str
    quantity: Decimal
    unit_price: Decimal
    currency: str
    book_rate: Decimal
    customs_rate: Decimal
    volume_m3: Decimal = ZERO
    weight_kg: Decimal = ZERO
    duty: Expression = FREE
    extra: tuple[tuple[str, Expression], ...] = ()
    hs: str = ""
    origin: str = ""
    net_weight_kg: Decimal | None = None
    incoterm: str = USUAL_RULE
    included: Mapping[str, Decimal] = field(default_factory=dict)
    amount: Decimal | None = None
    tax_rate: Decimal | None = None
    measures: Mapping[str, Decimal] = field(default_factory=dict)


@dataclass(frozen=True, slots=True)
class Charge:
    """A cost to be spread over `scope` (positions of its lines, ascending).

    `basis` is one of BASES, or empty when `by_hand` gives a weight for each line of the scope.
    `customs_rate` may be absent where no import tax names the charge's kind and it is not in the customs value;
    `in_customs_value` says whether it is, None leaves that to its kind.
    """

    id: str
    kind: str
    amount: Decimal
    book_rate: Decimal
    scope: Sequence[int]
    basis: str = ""
    by_hand: Sequence[Decimal] = ()
    customs_rate: Decimal | None = None
    in_customs_value: bool | None = None

    def belongs(self, customs: Customs) -> bool:
        """Whether its shares are in the customs value of lines whose price does not include it (rule 10)."""
        if self.in_customs_value is None:
            return customs.basis == "cif" and self.kind in (FREIGHT, INSURANCE)
        return self.in_customs_value and customs.basis != "price"


@dataclass(frozen=True, slots=True)
class ImportTax:
    """Import tax: one rate on a base of named parts. `reclaimable` is the part of it (0 to 1) that is reclaimed
    and stays out of landed cost. Without a `unit` it is whole in the minor unit.
    """

    rate: Decimal = ZERO
    base: tuple[str, ...] = ()
    reclaimable: Decimal = ONE
    unit: Decimal | None = None
    way: str = "half up"


class ValueBelowZero(ValueError):
    """More is deducted from the price of a line (its id) than there is."""


@dataclass(slots=True)
class LineCost:
    """The cost of one line. `charges` holds the share of each charge whose scope names the line, `duties` each duty
    by its id, `deducted` what was taken off the price for customs by kind.
    """

    id: str
    goods: Decimal
    customs_value: Decimal
    duty: Decimal
    charges: dict[str, Decimal] = field(default_factory=dict)
    duties: dict[str, Decimal] = field(default_factory=dict)
    deducted: dict[str, Decimal] = field(default_factory=dict)
    import_tax: Decimal = ZERO
    landed: Decimal = ZERO
    unit: Decimal = ZERO


@dataclass(frozen=True, slots=True)
class CostSheet:
    """Lines with their costs, the totals, and the groups of the entry where duties are reckoned by group."""

    lines: list[LineCost]
    duty: Decimal
    tax_base: Decimal
    tax: Decimal
    reclaimed: Decimal
    landed: Decimal
    groups: list[Group] = field(default_factory=list)


def line_amount(quantity: Decimal, unit_price: Decimal, currency: str) -> Decimal:
    """quantity x unit price, rounded in the line's own currency (rule 3).

    >>> line_amount(Decimal("240"), Decimal("18.40"), "USD")
    Decimal('4416.00')
    """
    return rounded(times(quantity, unit_price), currency)


def basis_weights(basis: str, measures: Mapping[str, Sequence[Decimal]], scope: Sequence[int]) -> list[int]:
    """Whole weights of the lines in `scope` by `basis`; `measures` holds a column per basis."""
    if basis == "equal":
        return [1] * len(scope)
    column = measures[basis]
    return whole_weights([column[position] for position in scope])


def spread_amount(amount: Decimal, weights: Sequence[int], currency: str) -> list[Decimal]:
    """`amount` (whole in the minor unit) in shares by `weights` (rule 5).

    >>> spread_amount(Decimal("95.00"), [1, 1, 1], "NZD")
    [Decimal('31.67'), Decimal('31.67'), Decimal('31.66')]
    """
    return all_from_minor(spread(to_minor(amount, currency), weights), currency)


def cost_sheet(
    lines: Sequence[Line],
    charges: Sequence[Charge],
    tax: ImportTax,
    base_currency: str,
    customs: Customs = PRICE_ALONE,
) -> CostSheet:
    """Cost every line. Raises NothingToSpreadOver, with the charge's id, where all its weights are zero; and
    ValueBelowZero, with the line's id.

    Source: the worked case of docs/landed-cost.md.
    """
    with exactly():
        return _cost_sheet(lines, charges, tax, base_currency, customs)


def _cost_sheet(
    lines: Sequence[Line], charges: Sequence[Charge], tax: ImportTax, base_currency: str, customs: Customs
) -> CostSheet:
    sheet = [_goods(line, base_currency) for line in lines]
    measures = {
        "value": [cost.goods for cost in sheet],
        "weight": [line.weight_kg for line in lines],
        "volume": [line.volume_m3 for line in lines],
        "quantity": [line.quantity for line in lines],
    }
    weights = _weights(charges, measures)
    for charge in charges:
        amount = converted(charge.amount, charge.book_rate, base_currency)
        for position, share in zip(charge.scope, spread_amount(amount, weights[charge.id], base_currency), strict=True):
            sheet[position].charges[charge.id] = share
    shares = _at_customs_rate(charges, weights, tax, customs, base_currency)
    _customs_values(sheet, lines, charges, shares, customs, base_currency)
    groups = _duties(sheet, lines, customs, base_currency)
    base_by_line = _tax_base_by_line(sheet, lines, charges, shares, tax, customs)
    tax_base = sum(base_by_line, ZERO)
    rates = [tax.rate if line.tax_rate is None else line.tax_rate for line in lines]
    tax_amount, taxed = _import_tax(base_by_line, rates, tax, base_currency)
    reclaimed = rounded(times(tax_amount, tax.reclaimable), base_currency)
    if tax_amount != reclaimed:
        _spread_tax(sheet, tax_amount - reclaimed, taxed, base_currency)
    for line, cost in zip(lines, sheet, strict=True):
        cost.landed = cost.goods + cost.duty + cost.import_tax + sum(cost.charges.values(), ZERO)
        cost.unit = divide(cost.landed, line.quantity, 4)
    total = from_minor(0, base_currency)
    duty, landed = (sum((getattr(c, name) for c in sheet), total) for name in ("duty", "landed"))
    return CostSheet(sheet, duty, tax_base + total, tax_amount, reclaimed, landed, groups)


def _goods(line: Line, base_currency: str) -> LineCost:
    """The goods of a line; its customs value is the price alone as yet."""
    amount = line_amount(line.quantity, line.unit_price, line.currency) if line.amount is None else line.amount
    return LineCost(
        id=line.id,
        goods=converted(amount, line.book_rate, base_currency),
        customs_value=converted(amount, line.customs_rate, base_currency),
        duty=ZERO,
        import_tax=from_minor(0, base_currency),
    )


# Of a charge (its id) the share of each line of its scope, at the customs rate.
Shares = Mapping[str, Sequence[Decimal]]


def _at_customs_rate(
    charges: Sequence[Charge],
    weights: Mapping[str, Sequence[int]],
    tax: ImportTax,
    customs: Customs,
    base_currency: str,
) -> Shares:
    """The shares of charges that customs counts, in its value or in the base of its tax."""
    found = {}
    for charge in charges:
        if charge.kind in tax.base or charge.belongs(customs):
            rate = charge.customs_rate if charge.customs_rate is not None else charge.book_rate
            amount = converted(charge.amount, rate, base_currency)
            found[charge.id] = spread_amount(amount, weights[charge.id], base_currency)
    return found


def _kept_out(lines: Sequence[Line], customs: Customs) -> Mapping[str, Collection[int]]:
    """By kind of charge, the lines whose price includes it, so that their shares are counted in the price already."""
    if customs.basis != "cif":
        return {}
    return {
        kind: {position for position, line in enumerate(lines) if kind in INCLUDES[line.incoterm]}
        for kind in (FREIGHT, INSURANCE)
    }


def _customs_values(
    sheet: Sequence[LineCost],
    lines: Sequence[Line],
    charges: Sequence[Charge],
    shares: Shares,
    customs: Customs,
    base_currency: str,
) -> None:
    """Add to the price what the territory counts, and take off what it leaves out (rule 10)."""
    kept_out = _kept_out(lines, customs)
    for charge in charges:
        if charge.belongs(customs):
            out = kept_out.get(charge.kind, ())
            for position, share in zip(charge.scope, shares[charge.id], strict=True):
                if position not in out:
                    sheet[position].customs_value += share
    if customs.basis == "fob":
        for line, cost in zip(lines, sheet, strict=True):
            for kind, amount in line.included.items():
                cost.deducted[kind] = converted(amount, line.customs_rate, base_currency)
            cost.customs_value -= sum(cost.deducted.values(), ZERO)
    below = next((cost.id for cost in sheet if cost.customs_value < 0), None)
    if below is not None:
        raise ValueBelowZero(below)


def _duties(sheet: Sequence[LineCost], lines: Sequence[Line], customs: Customs, base_currency: str) -> list[Group]:
    """Put the duties of each line into the sheet; returns the groups of the entry."""
    declared = [
        Declared(
            line.hs,
            line.origin,
            cost.customs_value,
            line.weight_kg if line.net_weight_kg is None else line.net_weight_kg,
            line.quantity,
            line.duty,
            line.extra,
            line.measures,
        )
        for line, cost in zip(lines, sheet, strict=True)
    ]
    found = duties_of(declared, customs, base_currency)
    for cost, duties in zip(sheet, found.by_line, strict=True):
        cost.duties = duties
        cost.duty = sum(duties.values(), ZERO)
    return found.groups


def _weights(charges: Sequence[Charge], measures: Mapping[str, Sequence[Decimal]]) -> dict[str, Sequence[int]]:
    """Whole weights of each charge by its id."""
    everything = len(measures["value"])
    of_all: dict[str, list[int]] = {}  # most charges span every line; their weights are worked out once a basis
    found: dict[str, Sequence[int]] = {}
    for charge in charges:
        if charge.by_hand:
            found[charge.id] = whole_weights(charge.by_hand)
        elif len(charge.scope) < everything:
            found[charge.id] = basis_weights(charge.basis, measures, charge.scope)
        else:
            if charge.basis not in of_all:
                of_all[charge.basis] = basis_weights(charge.basis, measures, charge.scope)
            found[charge.id] = of_all[charge.basis]
        # Asked of the amount as it stands: one that rounds to nothing in base currency is no excuse.
        if charge.amount and not any(found[charge.id]):
            raise NothingToSpreadOver(charge.id)
    return found


def _tax_base_by_line(
    sheet: Sequence[LineCost],
    lines: Sequence[Line],
    charges: Sequence[Charge],
    shares: Shares,
    tax: ImportTax,
    customs: Customs,
) -> list[Decimal]:
    """Each line's part of the import tax base; charges enter at their customs rate, none of them twice (6, 13)."""
    parts = [ZERO] * len(sheet)
    by_value = CUSTOMS_VALUE in tax.base
    for position, cost in enumerate(sheet):
        if by_value:
            parts[position] += cost.customs_value
        if DUTY in tax.base:
            parts[position] += cost.duty
        for kind, amount in cost.deducted.items():
            parts[position] += amount if kind in tax.base else ZERO
    kept_out = _kept_out(lines, customs)
    for charge in charges:
        if charge.kind not in tax.base:
            continue
        counted = by_value and charge.belongs(customs)
        out = kept_out.get(charge.kind, ())
        for position, share in zip(charge.scope, shares[charge.id], strict=True):
            if not counted or position in out:
                parts[position] += share
    return parts


def _import_tax(
    parts: Sequence[Decimal], rates: Sequence[Decimal], tax: ImportTax, currency: str
) -> tuple[Decimal, Sequence[Decimal]]:
    """The tax, each rate on the base of its lines and rounded once; and by what of each line it is spread."""
    bases: dict[Decimal, Decimal] = {}
    for part, rate in zip(parts, rates, strict=True):
        bases[rate] = bases.get(rate, ZERO) + part
    amounts = (rounded_by(times(base, rate), tax.unit, tax.way, currency) for rate, base in bases.items())
    amount = sum(amounts, from_minor(0, currency))
    return amount, parts if len(bases) < 2 else [times(part, rate) for part, rate in zip(parts, rates, strict=True)]


def _spread_tax(sheet: Sequence[LineCost], amount: Decimal, taxed: Sequence[Decimal], currency: str) -> None:
    # A negative part (a rebate larger than the goods) cannot be a weight; it takes no tax.
    weights = whole_weights([max(part, ZERO) for part in taxed])
    for cost, share in zip(sheet, spread_amount(amount, weights, currency), strict=True):
        cost.import_tax = share


def unit_price_of(amount: Decimal, quantity: Decimal) -> Decimal:
    """Cost of one unit with 4 decimals; 0 where there is no quantity.

    >>> unit_price_of(Decimal("2583.65"), Decimal("900"))
    Decimal('2.8707')
    """
    return divide(amount, quantity, 4) if quantity else round_to(ZERO, 4)
