"""Whether bins may hold what comes into them: one check for receipts, moves and putaway."""

from collections import defaultdict
from collections.abc import Iterable

from northing.core.inventory.bins import Goods, shelf_problems
from northing.core.problems import Problem
from northing.inventory.queries import shelves_of
from northing.masterdata.models import Bin

# A bin, the goods that come there, and the name of the field it was said in.
Coming = tuple[Bin, Goods, str]


def refusals(coming: Iterable[Coming]) -> list[Problem]:
    """What is wrong with putting goods into bins. Bins that may not hold everything are locked until the end."""
    of_bin: dict[int, list[tuple[Goods, str]]] = defaultdict(list)
    for bin, goods, where in coming:
        if bin.has_rules and goods.units > 0:
            of_bin[bin.pk].append((goods, where))
    if not of_bin:
        return []
    bins = list(Bin.objects.select_for_update().filter(pk__in=of_bin).order_by("pk"))
    shelves = shelves_of(bins)
    return [problem for key in sorted(of_bin) for problem in shelf_problems(shelves[key], of_bin[key])]
