"""The certificate of an inspection on paper."""

from collections.abc import Iterator
from itertools import groupby

from northing.core.money.exact import plain
from northing.core.quality.sampling import plan
from northing.messaging.print_pdf import to_pdf
from northing.quality.models import Inspection, Measure


def inspection_paper(record: Inspection) -> bytes:
    """The verdict as a PDF: goods, lot, plan, what was found, who decided, and when."""
    used = plan(record.lot, record.level, record.aql, record.state) if record.lot and record.aql else None
    context = {"record": record, "plan": used, "measures": list(_measures(record))}
    context |= {"defects": record.defects.all(), "papers": record.papers.all()}
    return to_pdf("quality/inspection_paper.html", context, sums=False)


def _measures(record: Inspection) -> Iterator[tuple[Measure, int, str, int]]:
    """Each characteristic that was looked at: how many units, from which figure to which, and how many not right."""
    for _, rows in groupby(record.measures.order_by("name", "number"), key=lambda one: one.name):
        some = list(rows)
        values = sorted(one.value for one in some if one.value is not None)
        spread = f"{plain(values[0])} to {plain(values[-1])}" if values else ""
        yield some[0], len(values), spread, sum(not one.right for one in some)
