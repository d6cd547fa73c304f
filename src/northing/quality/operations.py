"""Writes of inspections and of the draws of lots."""

from collections.abc import Sequence
from datetime import datetime

from northing.activity.models import HistoryEntry
from northing.core.quality.switching import sealed
from northing.ledger.models import CostLayer
from northing.quality.models import FoundDefect, Inspection, LotDraw, Measure, SeenPaper


def write_inspection(inspection: Inspection) -> Inspection:
    """A verdict on held goods."""
    inspection.save(force_insert=True)
    return inspection


def write_notes(measures: Sequence[Measure], defects: Sequence[FoundDefect], papers: Sequence[SeenPaper]) -> None:
    """What was noted in an inspection."""
    Measure.objects.bulk_create(measures)
    FoundDefect.objects.bulk_create(defects)
    SeenPaper.objects.bulk_create(papers)


def mark_reversed(inspection: Inspection, history: HistoryEntry) -> None:
    """A verdict was undone; it stays a fact."""
    inspection.reversed_by = history
    inspection.save(update_fields=["reversed_by"])


def open_draw(draw: LotDraw, layer: CostLayer, at: datetime, *, skipped: bool) -> None:
    """The lot came for which it was drawn."""
    draw.layer, draw.opened_at, draw.skipped = layer, at, skipped
    draw.save(update_fields=["layer", "opened_at", "skipped"])


def prepare_draw(item: int, supplier: int, seed: bytes, at: datetime) -> None:
    """Draw for the next lot of an item from a supplier (ids); nothing where one waits already."""
    facts = {"seed": seed.hex(), "sealed": sealed(seed), "made_at": at}
    LotDraw.objects.get_or_create(item_id=item, supplier_id=supplier, opened_at=None, defaults=facts)
