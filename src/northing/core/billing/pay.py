"""Paying: the part of what is owed that a payment takes, and what was paid of goods by the day they became ours.

Amounts are whole minor units of the bill's currency; `base` amounts of the company's.
"""

from northing.core.billing.advances import Amounts
from northing.core.money.exact import nearest_whole


def off(owed: Amounts, before: Amounts, amount: int) -> int:
    """The base amount that `amount` takes off what is `owed` of a bill in all, of which `before` is off already.

    round(owed base x through / owed) less what was taken, so that nothing of base is left with the last payment.

    >>> off(Amounts(87000, 144420), Amounts(0, 0), 50000), off(Amounts(87000, 144420), Amounts(50000, 83000), 37000)
    (83000, 61420)
    """
    if not owed.amount:
        return owed.base - before.base
    return nearest_whole(owed.base * (before.amount + amount), owed.amount) - before.base


def divided(total: int, amounts: list[int]) -> list[int]:
    """`total` over the parts of a payment, each its cumulative share: they add up to it.

    >>> divided(1000, [1, 1, 1])
    [333, 334, 333]
    """
    whole, through, taken, found = sum(amounts), 0, 0, []
    for amount in amounts:
        through += amount
        share = nearest_whole(total * through, whole) - taken
        taken += share
        found.append(share)
    return found


def paying_worth(money: int, against: list[int], amounts: list[int], set_off: int) -> list[int]:
    """The worth in base of each of the `amounts` that are paid, with `money` (base) and with what is set off.

    `against` is what was set off, in base, of amounts that come to `set_off`. Where more is set off than paid, the
    money comes back, and only the part of what was set off that pays counts.

    >>> paying_worth(335160, [8500, 6800], [205000], 9000)
    [350460]
    >>> paying_worth(-8000, [16000], [5000], 10000)
    [8000]
    >>> paying_worth(-8000, [16000], [], 10000)
    []
    """
    if not amounts:
        return []
    whole, worth = sum(amounts), sum(against)
    if set_off > whole:
        return divided(nearest_whole(worth * whole, set_off), amounts)
    return divided(money + worth, amounts)


def paid_part(goods: int, owed: int, paid: Amounts) -> Amounts:
    """Of goods that were billed before they became ours the part that is paid, at its payments' rates.

    `owed` is the whole bill, of which `paid` was paid: round(paid x goods / owed), at most the goods.

    >>> paid_part(1000, 2000, Amounts(500, 850))
    Amounts(amount=250, base=425)
    >>> paid_part(1000, 1000, Amounts(0, 0))
    Amounts(amount=0, base=0)
    """
    if not owed or not paid.amount:
        return Amounts(0, 0)
    part = min(nearest_whole(paid.amount * goods, owed), goods)
    return Amounts(part, nearest_whole(paid.base * part, paid.amount))
