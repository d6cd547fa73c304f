"""Spreading an amount so that the shares add up to it, to the last minor unit.

Largest remainder: everyone gets the whole part of the exact share, the units left over go to the
largest remainders, ties to the earlier line. Remainders are compared as whole numbers, exactly.

Dividing whole numbers is the slow part. So shares of many lines are first worked out in floating
point, with a bound on its error; where the bound leaves any doubt, the exact way decides.
"""

from collections.abc import Sequence
from decimal import Decimal
from fractions import Fraction
from math import lcm
from operator import sub

from northing.core.money.exact import nearest_whole
from northing.core.money.money import from_minor, to_minor

_MANY = 64
# A share is a product of three rounded numbers plus a half; half an ulp each, and as much again in hand.
_DOUBT = 2.0**-49


class NothingToSpreadOver(ValueError):
    """All weights are zero and the amount is not."""


def spread(units: int, weights: Sequence[int]) -> list[int]:
    """Shares of `units` (minor units) by `weights` (whole, not negative), summing to `units`.

    A negative amount spreads its absolute value and is negated. Zero weight gets nothing.
    Raises NothingToSpreadOver when every weight is zero and `units` is not.

    >>> spread(9500, [1, 1, 1])
    [3167, 3167, 3166]
    >>> spread(-9500, [1, 1, 1])
    [-3167, -3167, -3166]
    """
    if units == 0:
        return [0] * len(weights)
    if units < 0:
        return [-share for share in spread(-units, weights)]
    whole = sum(weights)
    if whole <= 0:
        raise NothingToSpreadOver("every weight is zero")
    proved = _proved(units, weights, whole) if len(weights) >= _MANY else None
    return proved or _exact(units, weights, whole)


def _exact(units: int, weights: Sequence[int], whole: int) -> list[int]:
    """The shares by whole numbers alone."""
    shares = [units * weight // whole for weight in weights]
    left = units - sum(shares)
    if not left:
        return shares
    remainders = [units * weight % whole for weight in weights]
    threshold = sorted(remainders)[-left]
    shares = [share + (rest > threshold) for share, rest in zip(shares, remainders, strict=True)]
    place = -1
    for _ in range(units - sum(shares)):
        place = remainders.index(threshold, place + 1)
        shares[place] += 1
    return shares


def _proved(units: int, weights: Sequence[int], whole: int) -> list[int] | None:
    """The shares by floating point, or None where its error might have decided one.

    Each share is rounded to the nearest unit; `over` is how far it lies above the half at which it
    would be rounded down. If the shares add up to too few, those with most over get one more; if to
    too many, those with least over give one back. That is the largest remainder's choice, unless two
    lie closer together at the dividing line than the error of the numbers.
    """
    try:
        each = units / whole
        raised = [weight * each + 0.5 for weight in weights]
    except OverflowError:
        return None
    doubt = max(raised) * _DOUBT
    if doubt > 0.1:
        return None
    shares = list(map(int, raised))
    over = list(map(sub, raised, shares))
    left = units - sum(shares)
    if left == 0:
        return shares if min(over) > doubt and max(over) < 1 - doubt else None
    below, above = _dividing(over, left)
    if above - below <= 2 * doubt:
        return None
    if left > 0:
        return [share + 1 if rest >= above else share for share, rest in zip(shares, over, strict=True)]
    return [share - 1 if rest <= below else share for share, rest in zip(shares, over, strict=True)]


def _dividing(over: Sequence[float], left: int) -> tuple[float, float]:
    """The two neighbours between which `left` of the values lie above (or -left of them below).

    Values mostly lie evenly in [0, 1), so only the outermost are sorted; where they do not, all are.
    """
    reach = 2 * (abs(left) + 8) / len(over)
    near = [rest for rest in over if rest > 1 - reach] if left > 0 else [rest for rest in over if rest < reach]
    if len(near) <= abs(left):
        near = list(over)
    near.sort()
    place = len(near) - left if left > 0 else -left
    return near[place - 1], near[place]


def whole_weights(weights: Sequence[Decimal | Fraction | int]) -> list[int]:
    """The weights times one common factor, so that all are whole numbers.

    >>> whole_weights([Decimal("0.5"), Decimal("2"), Fraction(1, 3)])
    [3, 12, 2]
    """
    ratios = [weight.as_integer_ratio() for weight in weights]
    common = lcm(*{denominator for _, denominator in ratios}) if ratios else 1
    return [numerator * (common // denominator) for numerator, denominator in ratios]


def share_so_far(total: int, cumulative: Decimal, whole: Decimal) -> int:
    """round(total x cumulative / whole), in minor units, half up, away from zero.

    What a part may have taken once `cumulative` of `whole` is through; never more than the whole.
    A receipt, an issue or a return takes this less what was taken before, so that the parts add up.

    >>> [share_so_far(1000, Decimal(n), Decimal(3)) for n in (1, 2, 3)]
    [333, 667, 1000]
    """
    if whole <= 0:
        raise NothingToSpreadOver("the whole is zero")
    cumulative = min(cumulative, whole)
    top_n, top_d = cumulative.as_integer_ratio()
    low_n, low_d = whole.as_integer_ratio()
    return nearest_whole(total * top_n * low_d, top_d * low_n)


def amount_so_far(total: Decimal, currency: str, cumulative: Decimal, whole: Decimal) -> Decimal:
    """`share_so_far` of an amount in a currency.

    >>> amount_so_far(Decimal("10.00"), "NZD", Decimal(1), Decimal(3))
    Decimal('3.33')
    """
    return from_minor(share_so_far(to_minor(total, currency), cumulative, whole), currency)
