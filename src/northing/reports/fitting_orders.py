"""Open order lines that goods without an order may be of, the best fitting first."""

from collections.abc import Mapping
from dataclasses import dataclass
from decimal import Decimal

from northing.masterdata.models import Site
from northing.worklist.models import LineSummary

ZERO = Decimal(0)
# So many lines are looked at, and so many are shown.
CONSIDERED, MOST = 200, 20


@dataclass(frozen=True)
class Fitting:
    """A line with open units, how many came of its item, and how well that fits, in words."""

    line: LineSummary
    came: Decimal
    words: str


def fitting_lines(site: Site, supplier: int, units: Mapping[int | None, Decimal]) -> list[Fitting]:
    """Lines of a supplier (id) with units that are with them; of the items (ids) that came first, then by need-by."""
    found = LineSummary.objects.filter(
        company=site.company_id, supplier=supplier, is_open=True, with_supplier__gt=0
    ).select_related("line__order", "item")
    if units:
        found = found.filter(item__in=[key for key in units if key])
    rows = [
        Fitting(one, units.get(one.item_id, ZERO), _words(one, units, site)) for one in found.order_by("need_by")[:200]
    ]
    rows.sort(key=lambda row: (_rank(row, site), row.line.need_by, row.line.pk))
    return rows[:MOST]


def _rank(row: Fitting, site: Site) -> tuple[bool, bool]:
    """Lines of the site before others, then those that have room for all that came."""
    return row.line.site_id != site.pk, row.came > row.line.with_supplier


def _words(line: LineSummary, units: Mapping[int | None, Decimal], site: Site) -> str:
    came = units.get(line.item_id)
    elsewhere = "" if line.site_id == site.pk else ", for another site"
    if came is None:
        return f"open{elsewhere}"
    if came == line.with_supplier:
        return f"fits exactly{elsewhere}"
    return f"{'has room for all of it' if came < line.with_supplier else 'is for less than came'}{elsewhere}"
