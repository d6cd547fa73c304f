"""The dock's sheet: a row for each line that is expected, with room to write the count."""

from collections.abc import Sequence
from dataclasses import dataclass, field
from decimal import Decimal
from typing import Any
from urllib.parse import urlencode

import segno
from django.conf import settings
from django.urls import reverse
from django.utils.safestring import SafeString, mark_safe

from northing.masterdata.queries import supplier_codes
from northing.messaging.print_pdf import to_pdf
from northing.reports.dock_day import Delivery
from northing.worklist.models import LineSummary

# So many lines go on one sheet: more is more paper than a dock carries about.
MOST_LINES = 400


@dataclass
class SheetLine:
    """A line of an order with what of it is still to come by this delivery."""

    summary: LineSummary
    expected: Decimal
    supplier_code: str
    code: SafeString

    @property
    def answered(self) -> str:
        """How the supplier answered, in words."""
        one = self.summary
        if one.answer_waits:
            return "answered otherwise"
        if one.agreed >= one.ordered:
            return "agreed"
        return "agreed in part" if one.agreed else "not answered"


@dataclass
class SheetPart:
    """A delivery with its lines."""

    delivery: Delivery
    lines: list[SheetLine] = field(default_factory=list)


def dock_sheet(rows: Sequence[Delivery], words: str, more: int = 0) -> bytes:
    """The sheet as a PDF. `words` say what was chosen; what does not go on it is counted on it: lines, and as many
    deliveries `more`.
    """
    return to_pdf("receiving/dock_sheet.html", sheet_context(rows, words, more), sums=False)


def sheet_context(rows: Sequence[Delivery], words: str, more: int) -> dict[str, Any]:
    """What the sheet says."""
    parts, left = _parts(rows)
    return {"parts": parts, "words": words, "left": left, "more": more, "lines": sum(len(one.lines) for one in parts)}


def _parts(rows: Sequence[Delivery]) -> tuple[list[SheetPart], int]:
    lines = {line for row in rows for line in row.units}
    told = ("order__supplier", "order__buyer", "line", "item")
    summaries = LineSummary.objects.filter(pk__in=lines).select_related(*told).in_bulk()
    codes = supplier_codes({(one.supplier_id, one.item_id) for one in summaries.values()})
    parts, left = [], 0
    for row in rows:
        part = SheetPart(row)
        found = sorted(row.units.items(), key=lambda one: _place(summaries[one[0]]))
        for key, expected in found:
            if sum(len(one.lines) for one in parts) + len(part.lines) >= MOST_LINES:
                left += 1
                continue
            one = summaries[key]
            code = codes.get((one.supplier_id, one.item_id), "")
            part.lines.append(SheetLine(one, expected, code, _code_of(one)))
        parts += [part] if part.lines else []
    return parts, left


def _place(one: LineSummary) -> tuple[str, int]:
    return one.order.number, one.line.number


def _code_of(one: LineSummary) -> SafeString:
    """What opens the line at the dock when it is scanned."""
    asked = urlencode({"q": f"{one.order.number} {one.item.code}"})
    link = f"{settings.PUBLIC_URL}{reverse('dock')}?{asked}"
    return mark_safe(segno.make(link, error="l").svg_inline(border=0))
