"""The register of inspections: every verdict, with its lot, plan and sample; for a page and for a file."""

from collections.abc import Collection, Iterator
from typing import Any

from django.db.models import Q, QuerySet

from northing.quality.models import Inspection

ORDER = "layer__shipment_line__instalment__line__order__"
# The columns of a file: what each is called, and where it is read.
COLUMNS = {
    "inspected_on": "occurred_on",
    "company": "company__code",
    "site": "layer__site__code",
    "item": "layer__item__code",
    "supplier": f"{ORDER}supplier__name",
    "order": f"{ORDER}number",
    "receipt": "layer__receipt_line__receipt__number",
    "lot_number": "layer__lot",
    "lot": "lot",
    "level": "level",
    "aql": "aql",
    "inspection": "state",
    "sample": "sample",
    "critical": "critical",
    "major": "major",
    "minor": "minor",
    "accepted": "accepted",
    "overruled": "overruled",
    "let_through": "skipped",
    "passed": "passed",
    "failed": "failed",
    "unit": "layer__item__unit",
    "defect": "reason",
    "inspector": "inspector__username",
    "reversed": "reversed_by",
}
# Where a word is looked for.
WORDS = ("layer__item__code", "layer__item__description", f"{ORDER}supplier__name", f"{ORDER}number", "layer__lot")
CHUNK = 2_000


def register(companies: Collection[int], word: str = "") -> QuerySet[Inspection]:
    """The verdicts of companies (ids), the newest first; those of an item, supplier, order or lot by a word."""
    found = Inspection.objects.filter(company__in=companies)
    if word:
        paths = (
            "layer__item__code",
            "layer__item__description",
            f"{ORDER}supplier__name",
            f"{ORDER}number",
            "layer__lot",
        )
        wanted = Q()
        for path in paths:
            wanted |= Q(**{f"{path}__icontains": word})
        found = found.filter(wanted)
    return found.order_by("-pk")


def register_rows(inspections: QuerySet[Inspection]) -> Iterator[dict[str, Any]]:
    """The rows of a file."""
    for row in inspections.values_list(*COLUMNS.values()).iterator(chunk_size=CHUNK):
        found = dict(zip(COLUMNS, row, strict=True))
        yield found | {"reversed": found["reversed"] is not None}
