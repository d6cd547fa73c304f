"""Amounts and checks of an order line."""

from collections.abc import Iterable
from dataclasses import dataclass
from datetime import date
from decimal import Decimal
from typing import NamedTuple

from northing.core.money.exact import divide, floor_to, plain, times
from northing.core.money.money import MINOR_UNITS, rounded
from northing.core.money.periods import day_problems
from northing.core.problems import Problem

# By which goods travel.
MODES = ("sea", "air", "road", "rail")

ONE, ZERO = Decimal(1), Decimal(0)
LARGEST = Decimal("999999999")
LARGEST_AMOUNT = Decimal("999999999999")


def net_share(line_discount: Decimal, order_discount: Decimal = ZERO, surcharge: Decimal = ZERO) -> Decimal:
    """What is paid of a line's price: each a fraction of 1, one upon the other, exact (at most 12 decimals).

    >>> net_share(Decimal("0.1"), Decimal("0.02"), Decimal("0.05"))
    Decimal('0.92610')
    """
    return times(ONE - line_discount, ONE - order_discount, ONE + surcharge)


def net_amount(quantity: Decimal, pack_factor: Decimal, pack_price: Decimal, paid: Decimal, currency: str) -> Decimal:
    """Amount of `quantity` base units: packs x pack price x what is paid of it, rounded once.

    `paid` is a fraction of 1 (`net_share`). Packs may be a fraction for a part of a line.

    >>> net_amount(Decimal(240), Decimal(1), Decimal("18.40"), Decimal(1), "USD")
    Decimal('4416.00')
    >>> net_amount(Decimal(5), Decimal(6), Decimal("10"), Decimal("0.9"), "USD")
    Decimal('7.50')
    """
    whole = times(quantity, pack_price, paid)
    if pack_factor == ONE:
        return rounded(whole, currency)
    return divide(whole, pack_factor, MINOR_UNITS[currency])


class OrderSums(NamedTuple):
    """An order's amounts in its currency: goods - discount + surcharge = total; total + tax = to_pay."""

    goods: Decimal
    discount: Decimal
    surcharge: Decimal
    total: Decimal
    tax: Decimal
    to_pay: Decimal


def order_sums(
    lines: Iterable[tuple[Decimal, Decimal, Decimal, Decimal]],
    discount: Decimal,
    surcharge: Decimal,
    tax_rate: Decimal,
    currency: str,
) -> OrderSums:
    """The totals of an order; each line is (base units, units per pack, price per pack, own discount).

    The total is the sum of the lines as they are billed, each rounded by itself, so that a bill line by line comes to
    the same; what the whole order's discount and surcharge come to is the difference they make. Tax is on the total.
    """
    goods = reduced = total = rounded(ZERO, currency)
    for quantity, factor, price, own in lines:
        goods += net_amount(quantity, factor, price, net_share(own), currency)
        reduced += net_amount(quantity, factor, price, net_share(own, discount), currency)
        total += net_amount(quantity, factor, price, net_share(own, discount, surcharge), currency)
    tax = rounded(times(total, tax_rate), currency)
    return OrderSums(goods, goods - reduced, total - reduced, total, tax, total + tax)


def over_allowed(quantity: Decimal, percent: Decimal, decimals: int) -> Decimal:
    """How much more than ordered a tolerance lets pass, in whole units of the item; rounded down.

    >>> over_allowed(Decimal(612), Decimal(2), 0)
    Decimal('12')
    """
    return floor_to(quantity * percent / 100, decimals)


def asks_second_person(above: Decimal | None, amount: Decimal | None) -> bool:
    """Whether an order of this amount needs approval by a second person; both in base currency.

    Without a limit every order does, and so does one of unknown amount.

    >>> limit = Decimal(5000)
    >>> asks_second_person(limit, limit), asks_second_person(limit, None), asks_second_person(None, Decimal(1))
    (False, True, True)
    """
    return above is None or amount is None or amount > above


def sums_problems(discount: Decimal, surcharge: Decimal, tax_rate: Decimal) -> list[Problem]:
    """What is wrong with the percentages of a whole order. `where` of each is the field's name."""
    found = []
    if not 0 <= discount < 1:
        found.append(Problem("The discount must be from 0 to below 100 %.", "discount"))
    for name, value in (("surcharge", surcharge), ("tax_rate", tax_rate)):
        if not 0 <= value <= 1:
            found.append(Problem("This must be from 0 to 100 %.", name))
    for name, value in (("discount", discount), ("surcharge", surcharge), ("tax_rate", tax_rate)):
        if round(value, 4) != value:
            found.append(Problem("Percentages are kept to two decimals.", name, "Write 2.5 or 2.55."))
    return found


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
