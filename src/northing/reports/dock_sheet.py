"""The dock's sheet: what is expected, line by line, with room to write what was found."""

from collections.abc import Sequence
from dataclasses import dataclass, field
from decimal import Decimal
from typing import Any
from urllib.parse import urlencode

import segno
from django.conf import settings
from django.db.models import F, Sum
from django.urls import reverse
from django.utils.safestring import SafeString, mark_safe

from northing.masterdata.queries import supplier_codes
from northing.messaging.print_pdf import to_pdf
from northing.reports.dock_day import Delivery
from northing.shipping.models import ShipmentLine
from northing.worklist.models import LineSummary

# So many lines go on one sheet: more takes longer than a person waits, and more paper than a driver does.
MOST_LINES = 100
ZERO = Decimal(0)


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
    units = _units(rows)
    lines = {line for found in units.values() for line in found}
    told = ("order__supplier", "order__buyer", "line", "item")
    summaries = LineSummary.objects.filter(pk__in=lines).select_related(*told).in_bulk()
    codes = supplier_codes({(one.supplier_id, one.item_id) for one in summaries.values()})
    parts, left = [], 0
    for row in rows:
        part = SheetPart(row)
        found = sorted(units.get(row.record.pk, {}).items(), key=lambda one: _place(summaries[one[0]]))
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


def _units(rows: Sequence[Delivery]) -> dict[int, dict[int, Decimal]]:
    """By delivery (id) and order line (id) the units still to come."""
    boxes = {(row.record.container_id, row.record.site_id): row.record.pk for row in rows if row.record.container_id}
    orders = {row.record.order_id: row.record.pk for row in rows if row.record.order_id}
    found: dict[int, dict[int, Decimal]] = {}
    line = "instalment__line"
    aboard = ShipmentLine.objects.filter(container__in={box for box, _ in boxes}, accounted__lt=F("quantity"))
    names = ("container", f"{line}__order__site", line)
    for box, site, key, left in (
        aboard.order_by().values_list(*names).annotate(left=Sum(F("quantity") - F("accounted")))
    ):
        if (box, site) in boxes:
            found.setdefault(boxes[box, site], {})[key] = left
    waiting = LineSummary.objects.filter(order__in=list(orders), is_open=True, with_supplier__gt=0)
    for order, key, left in waiting.values_list("order", "pk", "with_supplier"):
        found.setdefault(orders[order], {})[key] = left
    return found


def _code_of(one: LineSummary) -> SafeString:
    """What opens the line at the dock when it is scanned."""
    asked = urlencode({"q": f"{one.order.number} {one.item.code}"})
    link = f"{settings.PUBLIC_URL}{reverse('dock')}?{asked}"
    return mark_safe(segno.make(link, error="l").svg_inline(border=0))
