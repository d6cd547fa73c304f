"""The certificate of an inspection on paper."""

from northing.core.quality.sampling import plan
from northing.messaging.print_pdf import to_pdf
from northing.quality.models import Inspection


def inspection_paper(record: Inspection) -> bytes:
    """The verdict as a PDF: goods, lot, plan, what was found, who decided, and when."""
    used = plan(record.lot, record.level, record.aql, record.state) if record.lot and record.aql else None
    return to_pdf("quality/inspection_paper.html", {"record": record, "plan": used}, sums=False)
