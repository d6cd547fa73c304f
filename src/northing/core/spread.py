"""Spreading an amount so that the shares add up to it, to the last minor unit.

Largest remainder: everyone gets the whole part of the exact share, the units left over go to the
largest remainders, ties to the earlier line. Remainders are compared as whole numbers, exactly.
"""

from collections.abc import Sequence
from decimal import Decimal
from fractions import Fraction
from math import lcm

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
    shares = [units * weight // whole for weight in weights]
    left = units - sum(shares)
    if left:
        _give_to_largest_remainders(shares, left, units, weights, whole)
    return shares


def _give_to_largest_remainders(shares: list[int], left: int, units: int, weights: Sequence[int], whole: int) -> None:
    """Add one unit to each of the `left` largest remainders, in place."""
    remainders = [units * weight % whole for weight in weights]
    threshold = sorted(remainders)[-left]
    # Everyone above the threshold gets a unit; those at it share what then is left, earlier first.
    at_threshold = []
    for index, remainder in enumerate(remainders):
        if remainder > threshold:
            shares[index] += 1
            left -= 1
        elif remainder == threshold:
            at_threshold.append(index)
    for index in at_threshold[:left]:
        shares[index] += 1


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
