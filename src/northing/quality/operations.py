"""Writes of inspections."""

from northing.quality.models import Inspection


def write_inspection(inspection: Inspection) -> Inspection:
    """A verdict on held goods."""
    inspection.save(force_insert=True)
    return inspection
