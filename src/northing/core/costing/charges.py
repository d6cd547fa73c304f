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


@dataclass(frozen=True, slots=True)
class Bearer:
    """Goods that bear a part: the company they belong to and the measure of each basis."""

    company: int
    goods: Decimal
    weight: Decimal
    volume: Decimal
    quantity: Decimal
    part_of_line: Fraction = Fraction(1)


@dataclass(frozen=True, slots=True)
class CompanyRate:
    """A company's base currency and its book rate for the charge's currency."""

    currency: str
    rate: Decimal


@dataclass(frozen=True, slots=True)
class CompanyPart:
    """A company's part: in the charge's currency, in base currency, and each bearer's share of it."""

    company: int
    amount: Decimal
    base_amount: Decimal
    shares: Mapping[int, Decimal]


def weight_of(bearer: Bearer, basis: str, rate: Decimal) -> Fraction:
    """What a bearer weighs by `basis`.

    Value is taken in the charge's currency, so that goods of companies with different base
    currencies compare; equal means one for each order line, however many parts it travels in.

    >>> kettles = Bearer(1, Decimal("7251.07"), Decimal(408), Decimal("4.104"), Decimal(240))
    >>> weight_of(kettles, "weight", Decimal(1)), weight_of(kettles, "equal", Decimal(1))
    (Fraction(408, 1), Fraction(1, 1))
    """
    if basis == "equal":
        return bearer.part_of_line
    if basis == "value":
        return Fraction(bearer.goods) / Fraction(rate)
    return Fraction({"weight": bearer.weight, "volume": bearer.volume, "quantity": bearer.quantity}[basis])


def share_charge(
    amount: Decimal,
    currency: str,
    bearers: Sequence[Bearer],
    basis: str,
    rates: Mapping[int, CompanyRate],
    by_hand: Sequence[Decimal] = (),
) -> list[CompanyPart]:
    """Parts of a charge by company; `shares` is keyed by the bearer's place in `bearers`.

    `by_hand` gives each bearer's share in the charge's currency instead of a basis.
    Raises NothingToSpreadOver where the amount is not zero and every weight is.
    """
    if by_hand:
        weights = [Fraction(share) for share in by_hand]
    else:
        weights = [weight_of(bearer, basis, rates[bearer.company].rate) for bearer in bearers]
    if amount and not any(weights):
        raise NothingToSpreadOver(basis)
    whole = whole_weights(weights)
    members: dict[int, list[int]] = {}
    for place, bearer in enumerate(bearers):
        members.setdefault(bearer.company, []).append(place)
    of_company = [sum(whole[place] for place in places) for places in members.values()]
    parts = []
    for (company, places), part in zip(members.items(), spread_amount(amount, of_company, currency), strict=True):
        base = converted(part, rates[company].rate, rates[company].currency)
        shares = spread_amount(base, [whole[place] for place in places], rates[company].currency)
        parts.append(CompanyPart(company, part, base, dict(zip(places, shares, strict=True))))
    return parts
