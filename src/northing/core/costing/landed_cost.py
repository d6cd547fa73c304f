"""Landed cost of a set of lines: goods, spread charges, duty, import tax.

The rules are numbered as in docs/landed-cost.md. All amounts are in base currency unless said
otherwise, whole in its minor unit; every rounding is half up, away from zero.
"""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from decimal import Decimal

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


@dataclass(frozen=True, slots=True)
class Line:
    """Goods to be costed. Rates turn its currency into base currency."""

    id: str
    quantity: Decimal
    unit_price: Decimal
    currency: str
    book_rate: Decimal
    customs_rate: Decimal
    volume_m3: Decimal = ZERO
    weight_kg: Decimal = ZERO
    duty_rate: Decimal = ZERO


@dataclass(frozen=True, slots=True)
class Charge:
    """A cost to be spread over `scope` (positions of its lines, ascending).

    `basis` is one of BASES, or empty when `by_hand` gives a weight for each line of the scope.
    `customs_rate` may be absent where no import tax names the charge's kind.
    """

    id: str
    kind: str
    amount: Decimal
    book_rate: Decimal
    scope: Sequence[int]
    basis: str = ""
    by_hand: Sequence[Decimal] = ()
    customs_rate: Decimal | None = None


@dataclass(frozen=True, slots=True)
class ImportTax:
    """Import tax: one rate on a base of named parts. `reclaimable` is the part of it (0 to 1) that is reclaimed
    and stays out of landed cost.
    """

    rate: Decimal = ZERO
    base: tuple[str, ...] = ()
    reclaimable: Decimal = ONE


@dataclass(slots=True)
class LineCost:
    """The cost of one line. `charges` holds the share of each charge whose scope names the line."""

    id: str
    goods: Decimal
    customs_value: Decimal
    duty: Decimal
    charges: dict[str, Decimal] = field(default_factory=dict)
    import_tax: Decimal = ZERO
    landed: Decimal = ZERO
    unit: Decimal = ZERO


@dataclass(frozen=True, slots=True)
class CostSheet:
    """Lines with their costs, and the totals."""

    lines: list[LineCost]
    duty: Decimal
    tax_base: Decimal
    tax: Decimal
    reclaimed: Decimal
    landed: Decimal


def line_amount(quantity: Decimal, unit_price: Decimal, currency: str) -> Decimal:
    """quantity x unit price, rounded in the line's own currency (rule 3).

    >>> line_amount(Decimal("240"), Decimal("18.40"), "USD")
    Decimal('4416.00')
    """
    return rounded(times(quantity, unit_price), currency)


def ad_valorem(customs_value: Decimal, rate: Decimal, base_currency: str) -> Decimal:
    """Duty as a part of the customs value, rounded per line (rule 3).

    >>> ad_valorem(Decimal("7235.62"), Decimal("0.05"), "NZD")
    Decimal('361.78')
    """
    return rounded(times(customs_value, rate), base_currency)


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


def cost_sheet(lines: Sequence[Line], charges: Sequence[Charge], tax: ImportTax, base_currency: str) -> CostSheet:
    """Cost every line. Raises NothingToSpreadOver, with the charge's id, where all its weights are zero.

    Source: the worked case of docs/landed-cost.md.
    """
    with exactly():
        return _cost_sheet(lines, charges, tax, base_currency)


def _cost_sheet(lines: Sequence[Line], charges: Sequence[Charge], tax: ImportTax, base_currency: str) -> CostSheet:
    sheet = [_goods_and_duty(line, base_currency) for line in lines]
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
    base_by_line = _tax_base_by_line(sheet, charges, weights, tax, base_currency)
    tax_base = sum(base_by_line, ZERO)
    tax_amount = rounded(times(tax_base, tax.rate), base_currency)
    reclaimed = rounded(times(tax_amount, tax.reclaimable), base_currency)
    if tax_amount != reclaimed:
        _spread_tax(sheet, tax_amount - reclaimed, base_by_line, base_currency)
    for line, cost in zip(lines, sheet, strict=True):
        cost.landed = cost.goods + cost.duty + cost.import_tax + sum(cost.charges.values(), ZERO)
        cost.unit = divide(cost.landed, line.quantity, 4)
    total = from_minor(0, base_currency)
    duty, landed = (sum((getattr(c, name) for c in sheet), total) for name in ("duty", "landed"))
    return CostSheet(sheet, duty, tax_base + total, tax_amount, reclaimed, landed)


def _goods_and_duty(line: Line, base_currency: str) -> LineCost:
    amount = line_amount(line.quantity, line.unit_price, line.currency)
    customs_value = converted(amount, line.customs_rate, base_currency)
    return LineCost(
        id=line.id,
        goods=converted(amount, line.book_rate, base_currency),
        customs_value=customs_value,
        duty=ad_valorem(customs_value, line.duty_rate, base_currency),
        import_tax=from_minor(0, base_currency),
    )


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
    charges: Sequence[Charge],
    weights: Mapping[str, Sequence[int]],
    tax: ImportTax,
    base_currency: str,
) -> list[Decimal]:
    """Each line's part of the import tax base; charges enter at their customs rate (rule 6)."""
    parts = [ZERO] * len(sheet)
    for position, cost in enumerate(sheet):
        if CUSTOMS_VALUE in tax.base:
            parts[position] += cost.customs_value
        if DUTY in tax.base:
            parts[position] += cost.duty
    for charge in charges:
        if charge.kind not in tax.base:
            continue
        rate = charge.customs_rate if charge.customs_rate is not None else charge.book_rate
        amount = converted(charge.amount, rate, base_currency)
        for position, share in zip(charge.scope, spread_amount(amount, weights[charge.id], base_currency), strict=True):
            parts[position] += share
    return parts


def _spread_tax(sheet: Sequence[LineCost], amount: Decimal, base_by_line: Sequence[Decimal], currency: str) -> None:
    # A negative part (a rebate larger than the goods) cannot be a weight; it takes no tax.
    weights = whole_weights([max(part, ZERO) for part in base_by_line])
    for cost, share in zip(sheet, spread_amount(amount, weights, currency), strict=True):
        cost.import_tax = share


def unit_price_of(amount: Decimal, quantity: Decimal) -> Decimal:
    """Cost of one unit with 4 decimals; 0 where there is no quantity.

    >>> unit_price_of(Decimal("2583.65"), Decimal("900"))
    Decimal('2.8707')
    """
    return divide(amount, quantity, 4) if quantity else round_to(ZERO, 4)
