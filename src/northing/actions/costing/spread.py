"""Spreading a charge over its goods, and what that does to layers already received; computed first, written later."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import date
from decimal import Decimal
from fractions import Fraction

from northing.actions.costing import absorb
from northing.actions.costing.scope import Goods, measures
from northing.core.costing import charges, landed_cost
from northing.core.money.money import is_whole
from northing.core.money.spread import NothingToSpreadOver, whole_weights
from northing.core.problems import Problem, Refused, refuse_if
from northing.costing.models import Charge, ChargeShare
from northing.costing.operations import Key, PartDraft
from northing.drawings.figures import money
from northing.masterdata.models import Company
from northing.masterdata.queries import rate_for

ZERO = Decimal(0)
# By hand: an order line and a shipment line of it or None (ids), and what they bear in base currency.
Share = tuple[int, int | None, Decimal]


@dataclass(frozen=True)
class Hand:
    """Shares that a person gives; between companies a new charge is divided by the basis `between_by`."""

    shares: Mapping[Key, Decimal]
    between_by: str = ""


@dataclass(frozen=True)
class Tranche:
    """An amount said of a charge at once, by its estimate or by a line of a bill, at the rates of a day.

    `pinned` is how it was divided between companies before; `rates` are companies' own (by id) instead of the day's.
    """

    amount: Decimal
    day: date
    billed: bool = False
    pinned: charges.Between | None = None
    rates: tuple[tuple[int, Decimal], ...] = ()


@dataclass(frozen=True)
class UnitCost:
    """A layer's cost per unit before and after a booking."""

    layer: object
    old: Decimal
    new: Decimal
    stock: Decimal
    variance: Decimal


@dataclass
class Plan:
    """The effect of spreading a charge, computed without writing. `between` is how each tranche is divided."""

    goods: Sequence[Goods]
    parts: list[PartDraft]
    between: list[charges.Between]
    rates: list[dict[int, Decimal]]
    absorbed: absorb.Absorption
    old_shares: dict[Key, Decimal]

    @property
    def wholes(self) -> dict[int, Decimal]:
        """What each company (id) bears, in its base currency."""
        return {part.company: part.base_amount for part in self.parts}

    @property
    def unit_costs(self) -> list[UnitCost]:
        """Old and new unit cost of each layer that changes."""
        return unit_costs(self.absorbed)

    def rows(self) -> list[dict]:
        """Each bearer's share, for showing."""
        by_key = {tuple(one.bearer): one for one in self.goods}
        return [
            {"goods": by_key[key], "amount": amount, "old": self.old_shares.get(key)}
            for part in self.parts
            for key, amount in part.shares.items()
        ]


def unit_costs(absorbed: absorb.Absorption) -> list[UnitCost]:
    """Old and new unit cost of each layer that changes."""
    changed: dict[int, list[absorb.Late]] = {}
    for late in absorbed.late:
        changed.setdefault(late.layer.pk, []).append(late)
    found = []
    for lates in changed.values():
        layer, amount = lates[0].layer, sum((late.amount for late in lates), ZERO)
        found.append(
            UnitCost(
                layer,
                landed_cost.unit_price_of(layer.total_cost, layer.received),
                landed_cost.unit_price_of(layer.total_cost + amount, layer.received),
                sum((late.stock for late in lates), ZERO),
                sum((sum(late.variance.values(), ZERO) for late in lates), ZERO),
            )
        )
    return found


def plan(
    goods: Sequence[Goods],
    basis: str,
    currency: str,
    tranches: Sequence[Tranche],
    charge: int | None = None,
    *,
    lock: bool = False,
    hand: Hand | None = None,
) -> Plan:
    """Spread tranches over goods and see what it does to layers already received. Raises Refused.

    The same computation previews (without locks) and books (with them). `charge` (id) is absent before it is saved.
    By hand goods bear as the shares in `hand` are to each other, or as they bore before; what is booked must sum.
    """
    if not goods:
        raise Refused(Problem("Nothing bears a charge in this scope.", "scope", "Choose what holds or orders goods."))
    rates = [_rates(goods, currency, tranche) for tranche in tranches]
    bearers = measures(goods, tranches[-1].day)
    old = _old_shares(charge)
    by_hand = basis == Charge.Basis.BY_HAND
    if by_hand:
        weights = _by_hand(goods, hand.shares if hand else old, rates[-1])
    else:
        weights = _by_basis(bearers, basis, rates[-1])
    apart = weights
    if by_hand and hand and hand.between_by and len(rates[-1]) > 1:
        apart = _by_basis(bearers, hand.between_by, rates[-1])
    between = [
        tranche.pinned or charges.between_companies(tranche.amount, currency, bearers, apart, own)
        for tranche, own in zip(tranches, rates, strict=True)
    ]
    parts = _parts(goods, bearers, weights, tranches, between, rates[-1])
    new = {key: amount for part in parts for key, amount in part.shares.items()}
    # A charge not saved yet is component 0: no layer has absorbed any of it.
    totals = {absorb.Bearer(*key): {charge or 0: new.get(key, ZERO)} for key in {**old, **new}}
    pinned = [{company: one.rate for company, one in own.items()} for own in rates]
    if by_hand and hand and lock:
        must_sum(goods, {part.company: part.base_amount for part in parts}, hand.shares)
    return Plan(goods, parts, between, pinned, absorb.absorption(totals, lock=lock), old)


def by_key(shares: Sequence[Share]) -> dict[Key, Decimal]:
    """Shares by their bearers."""
    return {(line, part): share for line, part, share in shares}


def must_sum(goods: Sequence[Goods], wholes: Mapping[int, Decimal], shares: Mapping[Key, Decimal]) -> None:
    """Each company's shares are all that it bears, to the cent. Raises Refused with what is left to give."""
    known = {tuple(one.bearer): one.line.order.company for one in goods}
    if set(shares) - set(known):
        raise Refused(Problem("Goods that are named do not bear this charge.", "shares", "Reload the page."))
    companies = Company.objects.in_bulk(wholes)
    problems = []
    for key, whole in sorted(wholes.items()):
        company, currency = companies[key], companies[key].currency
        own = [share for bearer, share in shares.items() if known[bearer].pk == key]
        if any(not is_whole(share, currency) or share * whole < 0 for share in own):
            what = f"A share is below 0, or has more decimals than {currency}."
            problems.append(Problem(what, "shares", "Check the figures."))
        left = whole - sum(own, ZERO)
        if left:
            over = "still to give" if left * whole > 0 else "given too much"
            figures = [f"{money(one, currency)}" for one in (abs(left), whole)]
            what = f"{company.code}: {currency} {figures[0]} {over} of {figures[1]}."
            problems.append(Problem(what, "shares", "Shares by hand sum to the charge, to the cent."))
    refuse_if(problems)


def _by_basis(bearers: Sequence[charges.Bearer], basis: str, rates: Mapping[int, charges.CompanyRate]) -> list[int]:
    try:
        return charges.weights_of(bearers, basis, rates)
    except NothingToSpreadOver:
        what = f"Every part in this scope has zero {basis}."
        raise Refused(Problem(what, "basis", "Choose another basis, or complete the items.")) from None


def _by_hand(
    goods: Sequence[Goods], shares: Mapping[Key, Decimal], rates: Mapping[int, charges.CompanyRate]
) -> list[int]:
    """Whole weights of goods by their shares, which companies keep in currencies of their own."""
    weights = [
        Fraction(abs(shares.get(tuple(one.bearer), ZERO))) / Fraction(rates[one.line.order.company_id].rate)
        for one in goods
    ]
    if not any(weights):
        what = "None of the goods that are there now bears a share by hand."
        raise Refused(Problem(what, "basis", "Choose another basis, or give the shares anew."))
    return whole_weights(weights)


def _rates(goods: Sequence[Goods], currency: str, tranche: Tranche) -> dict[int, charges.CompanyRate]:
    companies = {one.line.order.company_id: one.line.order.company for one in goods}
    own = dict(tranche.rates)
    return {
        key: charges.CompanyRate(company.currency, own.get(key) or rate_for(company, currency, tranche.day))
        for key, company in companies.items()
    }


def _parts(goods, bearers, weights, tranches, between, rates) -> list[PartDraft]:
    found = []
    for company in rates:
        all_of = [own.get(company, (ZERO, ZERO)) for own in between]
        billed = [part for part, tranche in zip(all_of, tranches, strict=True) if tranche.billed]
        amount, base = (sum((part[i] for part in all_of), ZERO) for i in (0, 1))
        shares = charges.within_companies({company: base}, bearers, weights, rates)
        found.append(
            PartDraft(
                company,
                amount,
                base,
                sum((part[0] for part in billed), ZERO),
                sum((part[1] for part in billed), ZERO),
                {tuple(goods[place].bearer): share for place, share in shares.items()},
            )
        )
    return found


def _old_shares(charge: int | None) -> dict[Key, Decimal]:
    if charge is None:
        return {}
    rows = ChargeShare.objects.filter(charge=charge).values_list("order_line", "shipment_line", "amount")
    return {(line, part): amount for line, part, amount in rows.order_by("pk")}
