"""Spreading an amount so that the shares add up to it, to the last minor unit.

Largest remainder: everyone gets the whole part of the exact share, the units left over go to the
largest remainders, ties to the earlier line. Remainders are compared as whole numbers, exactly.
"""

from collections.abc import Sequence
from decimal import Decimal
from fractions import Fraction
from math import isqrt, lcm

from northing.core.exact import nearest_whole


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
    shares, remainders = _whole_shares(units, weights, whole)
    left = units - sum(shares)
    if left:
        shares = _with_units_left(shares, remainders, left, whole)
    return shares


def _whole_shares(units: int, weights: Sequence[int], whole: int) -> tuple[list[int], list[int]]:
    """The whole part of each exact share, and what remains of it in units of 1 / `whole`.

    Dividing whole numbers is the slow part. So the quotients are guessed in floating point and the
    guess is proved in whole numbers: it is right exactly when every remainder lies in [0, whole).
    """
    try:
        each = units / whole
        shares = [int(weight * each) for weight in weights]
    except OverflowError:
        shares = []
    remainders = [units * weight - share * whole for weight, share in zip(weights, shares, strict=False)]
    if not remainders or min(remainders) < 0 or max(remainders) >= whole:
        shares = [units * weight // whole for weight in weights]
        remainders = [units * weight % whole for weight in weights]
    return shares, remainders


def _with_units_left(shares: Sequence[int], remainders: Sequence[int], left: int, whole: int) -> list[int]:
    """The shares with one unit more for each of the `left` largest remainders, ties to the earlier."""
    threshold = _largest(remainders, left, whole)
    given = [share + 1 if remainder > threshold else share for share, remainder in zip(shares, remainders, strict=True)]
    place = -1
    for _ in range(left - (sum(given) - sum(shares))):
        place = remainders.index(threshold, place + 1)
        given[place] += 1
    return given


def _largest(values: Sequence[int], rank: int, below: int) -> int:
    """The value of that rank from the top (1: the largest) among values in [0, below).

    Remainders mostly lie evenly, so only those near the place of that rank are sorted; where they
    do not, all are.
    """
    middle = below - below * rank // len(values)
    margin = 4 * below // isqrt(len(values))
    top = middle + margin
    above = sum(map(top.__lt__, values))
    close = [value for value in values if middle - margin <= value <= top]
    if above < rank <= above + len(close):
        return sorted(close)[above - rank]
    return sorted(values)[-rank]


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
