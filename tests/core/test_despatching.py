"""A despatch against what was agreed, row by row."""

from datetime import date, timedelta
from decimal import Decimal as D

import pytest

from northing.core.planning.despatch import Open, allot, differences

DAY = date(2026, 11, 24)
EARLY = "5 days before it was to be ready"


def part(key, there, ready=0, agreed=None):
    return Open(key, D(there), D(there), D(there if agreed is None else agreed), DAY + timedelta(days=ready))


@pytest.mark.parametrize(
    ("quantities", "parts", "rows", "says"),
    [
        ([60], [part(1, 60)], [{1: 60}], [[]]),
        # The first to be ready first, whatever their order; the second row takes what the first left.
        (
            [50, 40],
            [part(2, 40, 5), part(1, 60, -1)],
            [{1: 50}, {1: 10, 2: 30}],
            [[], ["5 days before it was to be ready"]],
        ),
        ([70], [part(1, 60)], [{1: 70}], [["10 pc more than are still with the supplier"]]),
        ([10], [part(1, 0)], [{1: 10}], [["10 pc more than are still with the supplier"]]),
        ([60], [part(1, 60, 3, agreed=0)], [{1: 60}], [["not agreed yet", "3 days before it was to be ready"]]),
        ([60], [part(1, 60, -9)], [{1: 60}], [[]]),
        ([5], [], [{}], [["5 pc more than are still with the supplier"]]),
    ],
)
def test_allotting(quantities, parts, rows, says):
    found = allot([D(quantity) for quantity in quantities], parts, DAY)
    assert [dict(one.rows) for one in found] == rows
    assert [differences(one, "pc") for one in found] == says
