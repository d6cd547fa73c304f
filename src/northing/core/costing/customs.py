"""What customs counts: the value by territory, what the price includes, and duties by line or by declared group.

The rules are numbered as in docs/landed-cost.md (9 to 14). Amounts are in base currency and whole in its minor unit
unless they are said to be exact.
"""

from collections.abc import Hashable, Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from decimal import Decimal

from northing.core.money.exact import nearest_whole, plus, times
from northing.core.money.money import all_from_minor, minor_units, to_minor
from northing.core.money.spread import spread, whole_weights

ZERO = Decimal(0)
FREIGHT, INSURANCE = "freight", "insurance"
# What the price includes by the Incoterms 2020 rule.
INCLUDES: Mapping[str, tuple[str, ...]] = {
    **dict.fromkeys(("EXW", "FCA", "FAS", "FOB"), ()),
    **dict.fromkeys(("CFR", "CPT"), (FREIGHT,)),
    **dict.fromkeys(("CIF", "CIP", "DAP", "DPU", "DDP"), (FREIGHT, INSURANCE)),
}
USUAL_RULE = "FOB"
BASES = ("price", "cif", "fob")
PER = ("line", "group")
WAYS = ("half up", "down", "up")
COMBINES = ("sum", "higher", "lower")
# By what a specific amount goes beside units that goods keep, as litres or pairs.
MEASURES = ("kg", "unit")
NO_MEASURES: Mapping[str, Decimal] = {}
DUTY = "duty"


@dataclass(frozen=True, slots=True)
class Customs:
    """How a territory counts: the basis of its value, per line or group, and the rounding of each duty.

    Without a `unit` amounts are whole in the minor unit of the base currency.
    """

    basis: str = "price"
    per: str = "line"
    unit: Decimal | None = None
    way: str = "half up"


@dataclass(frozen=True, slots=True)
class Specific:
    """So much per kg of net weight, per unit, or per another unit that goods keep; at the customs `rate`."""

    amount: Decimal
    currency: str
    per: str
    rate: Decimal


@dataclass(frozen=True, slots=True)
class Expression:
    """A duty: a part of the customs value and specific amounts; their sum, the higher or the lower of the two.

    Equal where its numbers are: 0.05 and 0.050.

    >>> half = Expression(Decimal("0.05"), (Specific(Decimal("1.20"), "NZD", "kg", Decimal(1)),), "higher")
    >>> half.amount(Decimal(100), Decimal(10), Decimal(3))
    Decimal('12.00')
    """

    ad_valorem: Decimal = ZERO
    specific: tuple[Specific, ...] = ()
    combine: str = "sum"

    @property
    def units(self) -> set[str]:
        """The units beside kg and the goods' own that it asks for."""
        return {one.per for one in self.specific} - set(MEASURES)

    def amount(
        self, value: Decimal, weight: Decimal, quantity: Decimal, measures: Mapping[str, Decimal] = NO_MEASURES
    ) -> Decimal:
        """The duty on a customs value, a net weight in kg and a quantity, exact (rule 11).

        `measures` say how much it is in other units. Raises KeyError without a unit that the duty asks for.
        """
        part = times(value, self.ad_valorem)
        if not self.specific:
            return part
        known = {"kg": weight, "unit": quantity, **measures}
        specific = plus(times(one.amount, one.rate, known[one.per]) for one in self.specific)
        if self.combine == "sum":
            return plus((part, specific))
        return max(part, specific) if self.combine == "higher" else min(part, specific)


@dataclass(frozen=True, slots=True)
class Declared:
    """A line as it is declared; `weight` is net, in kg. `extra` duties go by their ids."""

    hs: str
    origin: str
    value: Decimal
    weight: Decimal
    quantity: Decimal
    duty: Expression
    extra: tuple[tuple[str, Expression], ...] = ()
    measures: Mapping[str, Decimal] = field(default_factory=dict)

    @property
    def group(self) -> tuple[str, str, Expression, frozenset[tuple[str, Expression]]]:
        """What lines of one group share (rule 12)."""
        return self.hs, self.origin, self.duty, frozenset(self.extra)

    def amounts(self) -> dict[str, Decimal]:
        """Each duty by its id, exact."""
        said = (self.value, self.weight, self.quantity, self.measures)
        found = {DUTY: self.duty.amount(*said)}
        for name, expression in self.extra:
            found[name] = expression.amount(*said)
        return found


@dataclass(frozen=True, slots=True)
class Group:
    """Lines (their positions) as one entry of a declaration: the sum of their values, and each duty rounded once."""

    hs: str
    origin: str
    lines: tuple[int, ...]
    customs_value: Decimal
    duties: Mapping[str, Decimal]


@dataclass(frozen=True, slots=True)
class Duties:
    """Each line's duties by their ids, and the groups where they were reckoned by group."""

    by_line: list[dict[str, Decimal]]
    groups: list[Group] = field(default_factory=list)


def rounded_by(value: Decimal, unit: Decimal | None, way: str, currency: str) -> Decimal:
    """An exact amount in whole units (absent: the minor unit); `down` and `up` are towards and away from zero.

    >>> [rounded_by(Decimal("-17.31"), Decimal("0.05"), way, "NZD") for way in WAYS]
    [Decimal('-17.30'), Decimal('-17.30'), Decimal('-17.35')]
    """
    places = minor_units(currency)
    step = 1 if unit is None else to_minor(unit, currency)
    top, low = value.as_integer_ratio()
    top, low = top * 10**places, low * step
    if way == "half up":
        whole = nearest_whole(top, low)
    else:
        whole, rest = divmod(abs(top), low)
        whole += 1 if rest and way == "up" else 0
        whole = whole if top >= 0 else -whole
    return all_from_minor([whole * step], currency)[0]


def duties_of(lines: Sequence[Declared], how: Customs, currency: str) -> Duties:
    """The duties of lines: each amount rounded per line, or once for its group and spread over its lines (rule 12)."""
    if how.per == "line":
        return Duties([_rounded(line.amounts(), how, currency) for line in lines])
    found: list[dict[str, Decimal]] = [{} for _ in lines]
    groups = []
    for places in _grouped(lines):
        groups.append(_of_group([(place, lines[place]) for place in places], how, currency, found))
    return Duties(found, groups)


def _rounded(amounts: Mapping[str, Decimal], how: Customs, currency: str) -> dict[str, Decimal]:
    return {name: rounded_by(amount, how.unit, how.way, currency) for name, amount in amounts.items()}


def _grouped(lines: Sequence[Declared]) -> Iterable[list[int]]:
    """The positions of each group's lines, in the order of its first."""
    found: dict[Hashable, list[int]] = {}
    for place, line in enumerate(lines):
        found.setdefault(line.group, []).append(place)
    return found.values()


def _of_group(
    rows: Sequence[tuple[int, Declared]], how: Customs, currency: str, found: list[dict[str, Decimal]]
) -> Group:
    """Reckon a group; the shares of its lines are put into `found`."""
    first = rows[0][1]
    value, weight, quantity = (
        plus(getattr(line, name) for _, line in rows) for name in ("value", "weight", "quantity")
    )
    # What the group's duty asks for, every line of it has.
    asked = first.duty.units.union(*(expression.units for _, expression in first.extra))
    measures = {unit: plus(line.measures[unit] for _, line in rows) for unit in asked}
    whole = Declared(first.hs, first.origin, value, weight, quantity, first.duty, first.extra, measures)
    duties = _rounded(whole.amounts(), how, currency)
    own = [line.amounts() for _, line in rows]
    for name, amount in duties.items():
        weights = [amounts[name] for amounts in own]
        weights = weights if any(weights) else [line.value for _, line in rows]
        shares = all_from_minor(spread(to_minor(amount, currency), whole_weights(weights)), currency)
        for (place, _), share in zip(rows, shares, strict=True):
            found[place][name] = share
    return Group(first.hs, first.origin, tuple(place for place, _ in rows), value, duties)
