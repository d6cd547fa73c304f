"""A supplier's agreement about an ordered quantity: the price of its step, and the misfits.

Steps are of a day and a quantity: the newest day that has come replaces all earlier ones, and of its steps the
highest that the quantity reaches gives the price. Below the lowest step its price still stands, with a warning
when there is a minimum.
"""

from collections.abc import Iterable
from dataclasses import dataclass
from datetime import date, timedelta
from decimal import Decimal
from typing import Protocol, TypeVar

from northing.core.money.exact import plain, times
from northing.core.problems import Problem, Strength

HUNDRED = Decimal(100)


class Step(Protocol):
    """A price from a day and from a quantity on, per base unit."""

    valid_from: date
    from_quantity: Decimal


Some = TypeVar("Some", bound=Step)


def standing(steps: Iterable[Some], day: date, quantity: Decimal) -> Some | None:
    """The step that stands on a day for a quantity (base units); None when none has begun."""
    begun = [step for step in steps if step.valid_from <= day]
    if not begun:
        return None
    newest = max(step.valid_from for step in begun)
    ladder = sorted((step for step in begun if step.valid_from == newest), key=lambda step: step.from_quantity)
    reached = [step for step in ladder if step.from_quantity <= quantity]
    return reached[-1] if reached else ladder[0]


@dataclass(frozen=True, slots=True)
class Offer:
    """What is agreed: a price, least and multiple in base units (0: none), days to make it.

    `tolerance` is by how many per cent an order's price may differ without a warning; `passage_days` the way here.
    """

    price: Decimal
    minimum: Decimal
    multiple: Decimal
    lead_days: int
    passage_days: int
    tolerance: Decimal = Decimal(0)


def misfits(where: str, quantity: Decimal, price: Decimal, need_by: date, today: date, offer: Offer) -> list[Problem]:
    """Warnings about a line against its offer: quantity in base units, price for as much as the offer's is.

    >>> offer = Offer(Decimal("2.00"), Decimal(100), Decimal(12), 30, 40)
    >>> day, need_by = date(2026, 1, 1), date(2026, 9, 1)
    >>> [str(problem) for problem in misfits("l", Decimal(90), Decimal("2.00"), need_by, day, offer)]
    ['90 is below the agreed minimum of 100. Order 108, the next multiple.', '90 is no multiple of 12. Order 96.']
    """
    found = []

    def warn(what: str, field: str, mend: str = "") -> None:
        found.append(Problem(what, f"{where}-{field}", mend, Strength.WARN))

    fitting = next_fitting(quantity, offer)
    if offer.minimum and quantity < offer.minimum:
        mend = f"Order {plain(fitting)}, the next multiple." if offer.multiple else f"Order {plain(fitting)}."
        warn(f"{plain(quantity)} is below the agreed minimum of {plain(offer.minimum)}.", "packs", mend)
    if offer.multiple and quantity % offer.multiple:
        up = quantity - quantity % offer.multiple + offer.multiple
        warn(f"{plain(quantity)} is no multiple of {plain(offer.multiple)}.", "packs", f"Order {plain(up)}.")
    if times(abs(price - offer.price), HUNDRED) > times(offer.price, offer.tolerance):
        more = "above" if price > offer.price else "below"
        within = f" by more than {plain(offer.tolerance)} %" if offer.tolerance else ""
        warn(f"The price is {more} the agreed {plain(offer.price)}{within}.", "pack_price")
    soonest = today + timedelta(days=offer.lead_days + offer.passage_days)
    if need_by < soonest:
        days = f"{offer.lead_days} days to make it and {offer.passage_days} on the way"
        warn(f"Need by {need_by:%-d %b %Y} is too soon for {days}.", "need_by", f"From {soonest:%-d %b %Y} on it fits.")
    return found


def next_fitting(quantity: Decimal, offer: Offer) -> Decimal:
    """The least quantity from this on that has the minimum and is a multiple."""
    least = max(quantity, offer.minimum)
    over = least % offer.multiple if offer.multiple else Decimal(0)
    return least - over + offer.multiple if over else least
