"""Amounts and checks of an order line."""

from dataclasses import dataclass
from datetime import date
from decimal import Decimal

from northing.core.exact import divide, plain, times
from northing.core.money import MINOR_UNITS, rounded
from northing.core.periods import day_problems
from northing.core.problems import Problem

ONE = Decimal(1)
LARGEST = Decimal("999999999")
LARGEST_AMOUNT = Decimal("999999999999")


def net_amount(
    quantity: Decimal, pack_factor: Decimal, pack_price: Decimal, discount: Decimal, currency: str
) -> Decimal:
    """Amount of `quantity` base units: packs x pack price x (1 - discount), rounded once.

    `discount` is a fraction of 1. Packs may be a fraction for a part of a line.

    >>> net_amount(Decimal(240), Decimal(1), Decimal("18.40"), Decimal("0"), "USD")
    Decimal('4416.00')
    >>> net_amount(Decimal(5), Decimal(6), Decimal("10"), Decimal("0.1"), "USD")
    Decimal('7.50')
    """
    whole = times(quantity, pack_price, ONE - discount)
    if pack_factor == ONE:
        return rounded(whole, currency)
    return divide(whole, pack_factor, MINOR_UNITS[currency])


@dataclass(frozen=True, slots=True)
class LineDraft:
    """A line as written: quantity in base units, what the item allows."""

    where: str
    quantity: Decimal
    decimals: int
    unit: str
    pack_price: Decimal
    discount: Decimal
    need_by: date
    pack_factor: Decimal = ONE


def line_problems(line: LineDraft, today: date) -> list[Problem]:
    """Everything wrong with a line before it may go out. `where` of each is the line's, and the field's name."""
    found = []
    packs, price, discount, need_by = (
        f"{line.where}-{name}" for name in ("packs", "pack_price", "discount", "need_by")
    )
    if line.quantity <= 0:
        found.append(Problem("The quantity must be above 0.", packs, "Enter a quantity or take the line out."))
    elif line.quantity > LARGEST:
        found.append(Problem(f"{plain(line.quantity)} is more than Northing takes on one line.", packs, "Split it."))
    elif round(line.quantity, line.decimals) != line.quantity:
        found.append(
            Problem(
                f"{plain(line.quantity)} {line.unit} has more decimals than {line.unit} is counted in.",
                packs,
                "Enter whole units." if not line.decimals else f"Use at most {line.decimals} decimals.",
            )
        )
    if line.pack_price < 0:
        found.append(Problem("The price must not be negative.", price))
    elif line.pack_price * abs(line.quantity) > LARGEST_AMOUNT * line.pack_factor:
        found.append(Problem("The amount of the line is larger than any Northing books.", price, "Check it."))
    if not 0 <= line.discount < 1:
        found.append(Problem("The discount must be from 0 to below 100 %.", discount))
    found += day_problems(line.need_by, need_by)
    if line.need_by < today:
        found.append(Problem("The need-by date has passed.", need_by, "Enter a day from today on."))
    return found
