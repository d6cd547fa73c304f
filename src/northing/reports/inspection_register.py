"""The register of inspections: every verdict, with its lot, plan and sample; for a page and for a file."""

from collections.abc import Collection, Iterator
from dataclasses import dataclass
from datetime import date
from decimal import Decimal
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
# What a page shows; whole records of all that it passes through would be most of its time.
SHOWN = (
    *("pk", "layer", "occurred_on", "passed", "failed", "reason", "lot", "sample", "state", "accepted", "skipped"),
    *("overruled", "reversed_by", "layer__lot", "layer__item__code", "layer__item__description"),
    *(f"{ORDER}pk", f"{ORDER}number", f"{ORDER}supplier__name", "inspector__username", "inspector__first_name"),
    "inspector__last_name",
)
CHUNK = 2_000


@dataclass(slots=True)
class Verdict:
    """A row of the register as a page shows it; its fields are the columns of `SHOWN`, in their order."""

    key: int
    layer: int
    occurred_on: date
    passed: Decimal
    failed: Decimal
    reason: str
    lot: int | None
    sample: int | None
    state: str
    accepted: bool | None
    skipped: bool
    overruled: str
    reversed_by: int | None
    goods_lot: str
    item: str
    description: str
    order: int | None
    number: str | None
    supplier: str | None
    username: str
    first_name: str
    last_name: str

    @property
    def looked_at(self) -> str:
        """Of how many units the verdict speaks, in words."""
        if self.sample:
            return f"{self.sample} of {self.lot}, {self.state}"
        return "none" if self.skipped else "all"

    @property
    def said(self) -> str:
        """The verdict in words."""
        word = {None: "–", True: "accepted", False: "rejected"}[self.accepted]
        word = "let through by lot" if self.skipped else word
        word = "reversed" if self.reversed_by else word
        return f"{word}; decided otherwise: {self.overruled}" if self.overruled else word

    @property
    def inspector(self) -> str:
        """Who said it."""
        return f"{self.first_name} {self.last_name}".strip() or self.username


def register(companies: Collection[int], word: str = "") -> QuerySet[Inspection]:
    """The verdicts of companies (ids), the newest first; those of an item, supplier, order or lot by a word."""
    found = Inspection.objects.filter(company__in=companies)
    if word:
        wanted = Q()
        for path in WORDS:
            wanted |= Q(**{f"{path}__icontains": word})
        found = found.filter(wanted)
    return found.order_by("-pk")


def verdicts(keys: Collection[int]) -> list[Verdict]:
    """The rows of a page by their ids, in that order; one may be gone since it was found."""
    rows = Inspection.objects.filter(pk__in=list(keys)).order_by().values_list(*SHOWN)
    found = {row[0]: Verdict(*row) for row in rows}
    return [found[key] for key in keys if key in found]


def register_rows(inspections: QuerySet[Inspection]) -> Iterator[dict[str, Any]]:
    """The rows of a file."""
    for row in inspections.values_list(*COLUMNS.values()).iterator(chunk_size=CHUNK):
        found = dict(zip(COLUMNS, row, strict=True))
        yield found | {"reversed": found["reversed"] is not None}
