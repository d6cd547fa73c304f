"""Goods becoming ours: owned afloat against owned not billed, at that day's rate."""

from collections.abc import Iterable
from dataclasses import dataclass
from datetime import date
from decimal import Decimal

from northing.core.money import converted
from northing.core.ordering import net_amount
from northing.core.ownership import is_ours_after
from northing.directory.queries import rate_for
from northing.ledger.models import Account
from northing.ledger.operations import Draft
from northing.shipping.models import Stowage
from northing.shipping.operations import own_stowage


@dataclass(frozen=True)
class Owned:
    """The goods value of a stowage, in the order's currency and in base currency."""

    stowage: Stowage
    amount: Decimal
    base: Decimal
    rate: Decimal


def goods_amount(part: Stowage, quantity: Decimal) -> Decimal:
    """Goods price of `quantity` of a stowage in the order's currency, rounded once."""
    line = part.instalment.line
    return net_amount(quantity, line.pack_factor, part.instalment.pack_price, line.discount, line.order.currency)


class Rates:
    """Book rates of one day, read once for each company and currency."""

    def __init__(self, day: date):
        self.day = day
        self._found: dict[tuple[int, str], Decimal] = {}

    def of(self, company, currency: str) -> Decimal:
        key = (company.pk, currency)
        if key not in self._found:
            self._found[key] = rate_for(company, currency, self.day)
        return self._found[key]


def becoming_ours(stowage: Iterable[Stowage], event: str, day: date) -> list[Owned]:
    """What `event` makes ours among the stowage that is not ours yet. Raises Refused without a rate."""
    rates, owned = Rates(day), []
    for part in stowage:
        order = part.instalment.line.order
        if part.ours_on or not is_ours_after(order.ours_from, event) or order.ours_from == "receipt":
            continue
        owned.append(valued(part, rates))
    return owned


def valued(part: Stowage, rates: Rates) -> Owned:
    """The whole stowage at the day's rate."""
    order = part.instalment.line.order
    rate = rates.of(order.company, order.currency)
    amount = goods_amount(part, part.quantity)
    return Owned(part, amount, converted(amount, rate, order.company.currency), rate)


def take_ownership(owned: list[Owned], day: date) -> list[Draft]:
    """Write the values on the stowage and return the postings."""
    for one in owned:
        part = one.stowage
        part.ours_on, part.goods_amount, part.goods_base, part.goods_rate = day, one.amount, one.base, one.rate
    own_stowage((one.stowage.pk, day, one.amount, one.base, one.rate) for one in owned)
    drafts = []
    for one in owned:
        line = one.stowage.instalment.line
        common = {
            "company": line.order.company_id,
            "foreign_currency": line.order.currency,
            "rate": one.rate,
            "order_line": line.pk,
        }
        drafts.append(Draft(account=Account.OWNED_AFLOAT, amount=one.base, foreign_amount=one.amount, **common))
        drafts.append(Draft(account=Account.OWNED_NOT_BILLED, amount=-one.base, foreign_amount=-one.amount, **common))
    return drafts
