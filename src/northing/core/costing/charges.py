"""Spreading one charge over goods of several companies.

Shared between the companies first, in the charge's own currency; each company's part is converted
at its own rate into its base currency and then spread over its goods. Largest remainder throughout.
"""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from decimal import Decimal
from fractions import Fraction

from northing.core.costing.landed_cost import spread_amount
from northing.core.money.money import converted
from northing.core.money.spread import NothingToSpreadOver, whole_weights

CHARGEABLE, CONTAINER = "chargeable", "container"
BASES = ("value", "weight", "volume", CHARGEABLE, "quantity", CONTAINER, "equal")
# What a kind is spread by where the house does not say otherwise; value for every other kind.
USUAL = {"freight": "volume", "haulage": "weight", "handling": CONTAINER, "storage": CONTAINER, "brokerage": "equal"}
# A cubic metre counts as so many kg.
AIR = Fraction(1_000_000, 6_000)


@dataclass(frozen=True, slots=True)
class Bearer:
    """Goods that bear a part: the company they belong to and the measure of each basis."""

    company: int
    goods: Decimal
    weight: Decimal
    volume: Decimal
    quantity: Decimal
    part_of_line: Fraction = Fraction(1)
    # Its part of the container that it is in; goods in none share one.
    part_of_container: Fraction = Fraction(1)


@dataclass(frozen=True, slots=True)
class Measured:
    """Goods as they are measured: `line` and `box` tell which of them are of one order line, and in one container."""

    company: int
    line: int
    box: int | None
    goods: Decimal
    weight: Decimal
    volume: Decimal
    quantity: Decimal


def bearers_of(some: Sequence[Measured]) -> list[Bearer]:
    """Goods with their parts of their lines and containers, in their order.

    >>> [bearer.part_of_line for bearer in bearers_of([Measured(1, 7, None, *[Decimal(n)] * 4) for n in (1, 3)])]
    [Fraction(1, 4), Fraction(3, 4)]
    """
    of_line: dict[int, Decimal] = {}
    for one in some:
        of_line[one.line] = of_line.get(one.line, Decimal(0)) + one.quantity
    filled = parts_of_containers([(one.box, one.volume, one.weight) for one in some])
    return [
        Bearer(
            one.company,
            one.goods,
            one.weight,
            one.volume,
            one.quantity,
            Fraction(one.quantity) / Fraction(of_line[one.line]),
            part,
        )
        for one, part in zip(some, filled, strict=True)
    ]


@dataclass(frozen=True, slots=True)
class CompanyRate:
    """A company's base currency and its book rate for the charge's currency."""

    currency: str
    rate: Decimal


# By company: its part in the charge's currency, and in its own base currency.
Between = dict[int, tuple[Decimal, Decimal]]


def weight_of(bearer: Bearer, basis: str, rate: Decimal) -> Fraction:
    """The weight of a bearer by `basis`.

    Value is taken in the charge's currency, so that goods of companies with different base
    currencies compare; equal means one for each order line, however many parts it travels
    in; container one for each container.

    >>> kettles = Bearer(1, Decimal("7251.07"), Decimal(408), Decimal("4.104"), Decimal(240))
    >>> weight_of(kettles, "weight", Decimal(1)), weight_of(kettles, "equal", Decimal(1))
    (Fraction(408, 1), Fraction(1, 1))
    """
    if basis == "equal":
        return bearer.part_of_line
    if basis == CONTAINER:
        return bearer.part_of_container
    if basis == CHARGEABLE:
        return max(Fraction(bearer.weight), Fraction(bearer.volume) * AIR)
    if basis == "value":
        return Fraction(bearer.goods) / Fraction(rate)
    return Fraction({"weight": bearer.weight, "volume": bearer.volume, "quantity": bearer.quantity}[basis])


def parts_of_containers(goods: Sequence[tuple[int | None, Decimal, Decimal]]) -> list[Fraction]:
    """The part of each of some goods (container, volume, weight) in its container: by volume, where none by weight.

    Goods without volume and weight have equal parts.

    >>> parts_of_containers([(7, Decimal(3), Decimal(0)), (7, Decimal(1), Decimal(9)), (8, Decimal(0), Decimal(0))])
    [Fraction(3, 4), Fraction(1, 4), Fraction(1, 1)]
    """
    sums: dict[int | None, tuple[Decimal, Decimal, int]] = {}
    for box, volume, weight in goods:
        before = sums.get(box, (Decimal(0), Decimal(0), 0))
        sums[box] = (before[0] + volume, before[1] + weight, before[2] + 1)
    found = []
    for box, volume, weight in goods:
        volumes, weights, count = sums[box]
        if volumes:
            found.append(Fraction(volume) / Fraction(volumes))
        else:
            found.append(Fraction(weight) / Fraction(weights) if weights else Fraction(1, count))
    return found


def weights_of(bearers: Sequence[Bearer], basis: str, rates: Mapping[int, CompanyRate]) -> list[int]:
    """The weight of each bearer by `basis`, in whole numbers of one measure.

    Raises NothingToSpreadOver where every weight is zero.
    """
    weights = [weight_of(bearer, basis, rates[bearer.company].rate) for bearer in bearers]
    if not any(weights):
        raise NothingToSpreadOver(basis)
    return whole_weights(weights)


def between_companies(
    amount: Decimal,
    currency: str,
    bearers: Sequence[Bearer],
    weights: Sequence[int],
    rates: Mapping[int, CompanyRate],
) -> Between:
    """An amount shared between the companies of its bearers, in its own currency, then converted at each one's rate.

    >>> here, there = Bearer(1, *[Decimal(1)] * 4), Bearer(2, *[Decimal(1)] * 4)
    >>> rates = {1: CompanyRate("NZD", Decimal("1.5")), 2: CompanyRate("AUD", Decimal(1))}
    >>> between_companies(Decimal("10.00"), "USD", [here, there], [3, 1], rates)
    {1: (Decimal('7.50'), Decimal('11.25')), 2: (Decimal('2.50'), Decimal('2.50'))}
    """
    of_company: dict[int, int] = {}
    for bearer, weight in zip(bearers, weights, strict=True):
        of_company[bearer.company] = of_company.get(bearer.company, 0) + weight
    parts = spread_amount(amount, list(of_company.values()), currency)
    return {
        company: (part, converted(part, rates[company].rate, rates[company].currency))
        for company, part in zip(of_company, parts, strict=True)
    }


def within_companies(
    bases: Mapping[int, Decimal],
    bearers: Sequence[Bearer],
    weights: Sequence[int],
    rates: Mapping[int, CompanyRate],
) -> dict[int, Decimal]:
    """Each bearer's share (by its place) of what its company bears in all, in that company's base currency."""
    shares: dict[int, Decimal] = {}
    for company, base in bases.items():
        places = [place for place, bearer in enumerate(bearers) if bearer.company == company]
        own = spread_amount(base, [weights[place] for place in places], rates[company].currency)
        shares |= dict(zip(places, own, strict=True))
    return shares
