"""Writes of inspections."""

from northing.activity.models import HistoryEntry
from northing.quality.models import Inspection


def write_inspection(inspection: Inspection) -> Inspection:
    """A verdict on held goods."""
    inspection.save(force_insert=True)
    return inspection


def mark_reversed(inspection: Inspection, history: HistoryEntry) -> None:
    """A verdict was undone; it stays a fact."""
    inspection.reversed_by = history
    inspection.save(update_fields=["reversed_by"])
